"""The sizes of the benches: the full ones, or tiny ones that only show that a bench runs."""

import os

IS_TINY = os.environ.get("KEEL_BENCH_TINY", "") not in {"", "0"}


def size(full: int, *, tiny: int) -> int:
    """Return the size to measure at; KEEL_BENCH_TINY=1 asks for the tiny one."""
    return tiny if IS_TINY else full
