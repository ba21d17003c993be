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

OF_ITS_OWN = "first_date"


def test_no_bench_is_left_out():
    told = {name.split()[0] for name, _ in BENCHES}
    assert told == {"forecast"} | {
        path.stem
        for path in (PROJECT / "bench").glob("*.py")
        if path.stem not in {"__init__", "__main__", "database", "sizes"}
    }


@pytest.fixture
def bench_database():
    yield
    drop_database(name=DATABASE)


def run(*wanted: str) -> str:
    done = subprocess.run(
        [sys.executable, "-m", "bench", *wanted],
        capture_output=True, cwd=PROJECT, check=False, text=True, timeout=400,
        env={**os.environ, "KEEL_BENCH_TINY": "1"},
    )  # fmt: skip
    if done.returncode:
        pytest.fail(f"{done.stdout[-500:]}{done.stderr[-1500:]}")
    return done.stdout


def test_every_bench_runs_to_its_end(bench_database):
    """In one process, but what has a state of its own: to begin takes longer than to run."""
    told = run(*(one for one, _ in BENCHES if one != OF_ITS_OWN))
    parts = {head: part for head, _, part in (one.partition("\n") for one in told.split("── "))}
    parts[OF_ITS_OWN] = run(OF_ITS_OWN)
    assert [one for one, words in BENCHES if words not in parts[one]] == []
