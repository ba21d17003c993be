import csv
import gzip
import json
import subprocess
import sys
from dataclasses import dataclass
from datetime import date, timedelta

import pyarrow.csv
import pyarrow.parquet
import pytest

from keelmark.cli.app import app
from keelmark.cli.console import CommandError
from keelmark.config.state import PROJECT
from keelmark.core.errors import CoreError
from keelmark.core.units import TIB

FIRST = date(2026, 1, 1)
HEADER = "series,date,used_bytes,capacity_bytes"


def rows(series, *, n_days=120, start=10.0, growth=0.1, capacity=30, first=FIRST, skip=()):
    return [
        f"{series},{first + timedelta(days=d)},{int((start + growth * d) * TIB)},"
        f"{capacity * TIB if d % 10 == 0 else ''}"
        for d in range(n_days)
        if d not in skip
    ]


@dataclass(frozen=True)
class Done:
    stdout: str
    stderr: str
    returncode: int


@pytest.fixture
def keel(capsys):
    """The command line in this process: starting one anew takes longer than what is shown."""

    def run(*arguments):
        capsys.readouterr()
        code = 0
        try:
            app(list(arguments), standalone_mode=False)
        except (CommandError, CoreError) as exc:
            sys.stderr.write(f"keel: {exc}\n")
            code = 2
        told = capsys.readouterr()
        return Done(stdout=told.out, stderr=told.err, returncode=code)

    return run


@pytest.fixture
def run_forecast(tmp_path, keel):
    def run(lines, *options):
        path = tmp_path / "used.csv"
        path.write_text("\n".join([HEADER, *lines]) + "\n")
        return keel("forecast", str(path), *options)

    return run


def test_the_command_line_says_what_is_wrong_and_ends_with_two(tmp_path):
    path = tmp_path / "x.csv"
    path.write_text("a,b\n1,2\n")
    done = subprocess.run(
        [sys.executable, "-m", "keelmark.cli", "forecast", str(path)],
        capture_output=True, text=True, cwd=PROJECT, check=False,
    )  # fmt: skip
    assert (done.returncode, done.stdout) == (2, "")
    assert done.stderr.lstrip().startswith("keel: ")
    assert "no column series" in done.stderr


def test_each_series_gets_its_object_in_the_order_of_the_file(run_forecast):
    lines = [
        *rows("zebra", skip={3, 4, 50}),
        *rows("ant", growth=0.0),
        *rows("young", n_days=5),
        *rows("bare", n_days=30, first=FIRST + timedelta(days=9)),
    ]
    done = run_forecast(lines, "--json")
    told = {o["series"]: o for o in json.loads(done.stdout)}
    assert list(told) == ["zebra", "ant", "young", "bare"]
    zebra = told["zebra"]
    # stands at 21.9 TiB on 30 Apr, 0.1 a day: 30 TiB 81 days later
    assert zebra["as_of"] == "2026-04-30"
    likely = date.fromisoformat(zebra["exhaustion"]["likely"])
    assert abs((likely - date(2026, 4, 30)).days - 81) <= 2
    assert zebra["growth_bytes_per_day"] == pytest.approx(0.1 * TIB, rel=0.03)
    assert told["ant"]["exhaustion"] == {"early": None, "likely": None, "late": None}
    assert told["ant"]["growth_bytes_per_day"] == pytest.approx(0, abs=1)
    assert "only 5 days" in told["young"]["reason"]
    assert told["young"]["growth_bytes_per_day"] is None
    assert told["bare"]["as_of"] == "2026-02-08"


def test_each_series_has_its_own_days_whatever_else_is_in_the_file(run_forecast):
    alone = rows("ant", first=date(1973, 5, 1))
    ages = [rows(f"s{year}", first=date(year, 3, 7), n_days=40) for year in range(1980, 2020, 5)]
    done = run_forecast([*alone, *(line for age in ages for line in age)], "--json")
    told = json.loads(done.stdout)
    assert [one["series"] for one in told] == ["ant", *(f"s{y}" for y in range(1980, 2020, 5))]
    assert told[0] == json.loads(run_forecast(alone, "--json").stdout)[0]
    assert told[0]["as_of"] == "1973-08-28"


@pytest.mark.parametrize("kind", ["gzip", "parquet"])
def test_packed_files_and_parquet_tell_the_same_also_as_csv(run_forecast, tmp_path, keel, kind):
    lines = [*rows("zebra"), *rows("ant", growth=0.0)]
    plain = run_forecast(lines, "--csv").stdout
    path = tmp_path / "used.csv"
    other = path.with_suffix(".csv.gz" if kind == "gzip" else ".parquet")
    if kind == "gzip":
        other.write_bytes(gzip.compress(path.read_bytes()))
    else:
        pyarrow.parquet.write_table(pyarrow.csv.read_csv(path), other)
    assert keel("forecast", str(other), "--csv").stdout == plain
    told = list(csv.DictReader(plain.splitlines()))
    assert [row["series"] for row in told] == ["zebra", "ant"]
    assert told[0]["likely"] > told[0]["as_of"] == "2026-04-30"
    assert told[1]["likely"] == ""


def test_whole_bytes_written_as_decimals_are_taken(run_forecast):
    plain = rows("a")
    decimal = [f"{row[: row.rindex(',')]}.0,{30 * TIB:.6e}" for row in plain]
    one, two = (
        json.loads(run_forecast(lines, "--json").stdout)[0]
        for lines in ([f"{row[: row.rindex(',')]},{30 * TIB}" for row in plain], decimal)
    )
    assert one["exhaustion"]["likely"] == two["exhaustion"]["likely"]


def test_exabytes_past_what_floats_hold_exactly_are_taken(run_forecast):
    odd = 2**53 + 1
    lines = [f"a,{FIRST + timedelta(days=d)},{odd + d * 2**44},{2**60 + 1}" for d in range(60)]
    done = run_forecast(lines, "--json")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)[0]["growth_bytes_per_day"] == pytest.approx(2**44, rel=1e-3)


def test_a_series_without_any_reading_gets_its_object(run_forecast):
    bare = [f"a,{FIRST + timedelta(days=d)},,{TIB}" for d in range(40)]
    told = json.loads(run_forecast([*bare, *rows("b")], "--json", "--path").stdout)
    assert told[0] == {
        "series": "a",
        "as_of": None,
        "growth_bytes_per_day": None,
        "exhaustion": {"early": None, "likely": None, "late": None},
        "reason": "no readings",
        "path": None,
    }
    assert told[1]["exhaustion"]["likely"]


def test_mark_and_horizon_are_kept_to(run_forecast):
    lower = json.loads(run_forecast(rows("a"), "--json", "--mark", "80").stdout)[0]
    full = json.loads(run_forecast(rows("a"), "--json").stdout)[0]
    near = json.loads(run_forecast(rows("a"), "--json", "--horizon", "30").stdout)[0]
    assert lower["exhaustion"]["likely"] < full["exhaustion"]["likely"]
    assert near["exhaustion"]["likely"] is None


def test_the_path_begins_the_day_after_and_is_not_cut_off(run_forecast):
    told = json.loads(run_forecast(rows("a"), "--json", "--path", "--horizon", "400").stdout)[0]
    path = told["path"]
    assert path["dates"][0] == "2026-05-01"
    assert [len(path[name]) for name in ("dates", "p10", "p50", "p90")] == [400] * 4
    assert path["p50"][-1] > 55 * TIB


def test_past_its_capacity_it_ends_on_the_last_day_read(run_forecast):
    told = json.loads(run_forecast(rows("a", capacity=20), "--json").stdout)[0]
    assert told["exhaustion"]["early"] == told["as_of"] == told["exhaustion"]["late"]


def test_no_capacity_means_no_date_and_says_so(run_forecast):
    bare = [f"a,{FIRST + timedelta(days=d)},{d * TIB}," for d in range(40)]
    told = json.loads(run_forecast(bare, "--json").stdout)[0]
    assert told["exhaustion"]["likely"] is None
    assert told["reason"] == "no capacity known"
    assert told["growth_bytes_per_day"] == pytest.approx(TIB, rel=0.01)


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("a,2026-13-01,5,9", "line 122, date: “2026-13-01” is no ISO date"),
        ("a,2026-08-01,-5,9", "line 122, used_bytes: “-5” is no whole number"),
        ("a,2026-08-01,5.5,9", "line 122, used_bytes: “5.5” is no whole number"),
        ("a,2026-08-01,5,nine", "line 122, capacity_bytes: “nine”"),
        (f"a,2026-08-01,{2**63},9", "line 122, used_bytes: 9223372036854775808 is above"),
        (",2026-08-01,5,9", "line 122, series: empty"),
        ("a,2026-01-01,5,9", "but line 2 says"),
    ],
)
def test_a_bad_row_is_named_by_line_and_field(run_forecast, line, told):
    done = run_forecast([*rows("a"), line], "--json")
    assert done.returncode == 2
    assert told in done.stderr
    assert done.stdout == ""


def test_missing_columns_and_empty_files_are_named(tmp_path, keel):
    for text, told in (("a,b\n1,2\n", "no column series"), (HEADER + "\n", "no rows")):
        path = tmp_path / "x.csv"
        path.write_text(text)
        done = keel("forecast", str(path))
        assert done.returncode == 2
        assert told in done.stderr


def test_without_json_it_is_a_table(run_forecast):
    done = run_forecast(rows("zebra"))
    assert "zebra" in done.stdout
    assert "2026-04-30" in done.stdout
