"""Every bench runs, at a size that shows nothing but that."""

import os
import subprocess
import sys

import pytest

from bench.database import DATABASE
from keelmark.cli.database import drop_database
from keelmark.config.state import PROJECT

BENCHES = [
    ("copying", "bare COPY"),
    ("list_read", "ratio of the p95"),
    ("tables", "rows"),
    ("layout", "rows by month"),
    ("performance", "rows/packed"),
    ("first_date", "all 7 dates"),
    ("policy", "one changed rule"),
    ("replay", "a curve over 24 limits"),
    ("placement", "whole numbers, straight"),
    ("scenario", "four compared"),
    ("least", "largest first"),
    ("forecast_speed", "numpy straight lines"),
    ("forecast 1", "real, mean"),
    ("forecast_files", "mixed eras / like ones"),
    # the last ones share a database: the one keeps what the others read
    ("large 0.0005 20 keep", "/api/v1/limits"),
    ("bearings", "another day"),
    ("promises", "with a history, in"),
    ("painting", "sorted by a column"),
    ("forecast_run", "run done"),
]


def test_no_bench_is_left_out():
    told = {name.split()[0] for name, _ in BENCHES}
    assert told == {"forecast"} | {
        path.stem
        for path in (PROJECT / "bench").glob("*.py")
        if path.stem not in {"__init__", "database", "sizes"}
    }


@pytest.fixture
def bench_database():
    yield
    drop_database(name=DATABASE)


def test_every_bench_runs_to_its_end(bench_database):
    for arguments, told in BENCHES:
        name, *rest = arguments.split()
        done = subprocess.run(
            [sys.executable, "-m", f"bench.{name}", *rest],
            capture_output=True, cwd=PROJECT, check=False, text=True, timeout=240,
            env={**os.environ, "KEEL_BENCH_TINY": "1"},
        )  # fmt: skip
        if done.returncode:
            pytest.fail(f"bench.{name}: {done.stdout[-500:]}{done.stderr[-1500:]}")
        assert told in done.stdout, name
