"""Files of series of any size, a part at a time."""

from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keelmark.cli import series_file, series_store
from keelmark.cli.console import CommandError
from keelmark.cli.series_store import SeriesStore
from keelmark.core.days import EPOCH

DAY = date(2026, 3, 1)
READINGS = st.lists(
    st.tuples(
        st.sampled_from(["a", "bé", "c c", "d,d", "e", "f", "g"]),
        st.integers(0, 1200),
        st.one_of(st.none(), st.integers(0, 2**50)),
        st.one_of(st.none(), st.integers(0, 2**62)),
    ),
    min_size=1,
    max_size=60,
    unique_by=lambda told: told[:2],
)


def written(path, readings):
    lines = [
        f'"{name}",{DAY + timedelta(days=day)},{"" if used is None else used},'
        f"{'' if capacity is None else capacity}"
        for name, day, used, capacity in readings
    ]
    path.write_text("series,date,used_bytes,capacity_bytes\n" + "\n".join(lines) + "\n")
    return path


def told_by(path):
    with SeriesStore(path, tell=lambda *_: None) as store:
        return {
            name: (
                dict(
                    zip(
                        table.day[table.begins[row] : table.begins[row + 1]].tolist(),
                        table.used_bytes[table.begins[row] : table.begins[row + 1]].tolist(),
                        strict=True,
                    )
                ),
                int(table.capacity_bytes[row]),
            )
            for table in store.tables()
            for row, name in enumerate(table.names)
        }


def wanted_of(readings):
    wanted = {name: ({}, -1) for name, *_ in readings}
    for name in wanted:
        own = [told for told in readings if told[0] == name]
        read = {
            (DAY - EPOCH).days + day: float(used) for _, day, used, _ in own if used is not None
        }
        newest = max(read, default=0)
        capacities = [(day, capacity) for _, day, _, capacity in own if capacity is not None]
        wanted[name] = (
            {day: used for day, used in read.items() if day > newest - series_store.MOST_DAYS},
            max(capacities)[1] if capacities else -1,
        )
    return wanted


@settings(max_examples=60, deadline=None)
@given(readings=READINGS, bucket=st.integers(1, 4), part=st.sampled_from([60, 200, 10_000]))
def test_every_reading_comes_back_whatever_the_order_and_the_parts(
    tmp_path_factory, readings, bucket, part
):
    path = written(tmp_path_factory.mktemp("series") / "used.csv", readings)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(series_store, "BUCKET_SERIES", bucket)
        patch.setattr(series_file, "PART_BYTES", part)
        told = told_by(path)
    wanted = wanted_of(readings)
    assert list(told) == list(wanted)  # in the order in which they first appear
    assert told == wanted


def test_nothing_is_left_on_disk_and_what_is_told_twice_is_named(tmp_path, monkeypatch):
    monkeypatch.setattr(series_store.tempfile, "tempdir", str(tmp_path / "space"))
    (tmp_path / "space").mkdir()
    readings = [(f"s{n}", day, n, None) for day in range(20) for n in range(3)]
    path = written(tmp_path / "used.csv", [*readings, ("s1", 7, 99, None)])
    with pytest.raises(CommandError, match="line 62, used_bytes: 99, but line 24 says 1"):
        told_by(path)
    written(path, readings)
    assert len(told_by(path)) == 3
    assert list((tmp_path / "space").iterdir()) == []


def test_groups_of_like_length_hold_every_series_once(tmp_path):
    rng = np.random.default_rng(4)
    readings = [
        (f"s{n}", day, 5, None) for n in range(40) for day in range(int(2 ** rng.uniform(0, 9)))
    ]
    with SeriesStore(written(tmp_path / "used.csv", readings), tell=lambda *_: None) as store:
        (table,) = store.tables()
        groups = list(table.alike())
    assert sorted(np.concatenate(groups).tolist()) == list(range(40))
    for group in groups:
        lengths = np.diff(table.begins)[group]
        assert lengths.max() <= 2 * lengths.min()
