"""Five-minute means as a table: taken whole, bad rows told, nothing else lost."""

from datetime import timedelta

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pa_parquet
import pytest

from keelmark.core.performance import STEPS_A_DAY
from keelmark.estate.models import Entity, Protocol
from keelmark.feeds.models import Run, RunState
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.feeds.services.running import carry_out
from keelmark.feeds.services.schedule import queue_run
from keelmark.readings.performance.packing import is_packed
from keelmark.readings.performance.reading import hours_of, steps_of
from tests.server.conftest import NOW

DAY = NOW.date() - timedelta(days=2)


@pytest.fixture
def folder(settings, tmp_path):
    settings.FEED_FOLDERS = str(tmp_path)
    (tmp_path / "records").mkdir()
    return tmp_path / "records"


@pytest.fixture
def sent(folder, db):
    def run(rows, *, name="a.parquet", **columns):
        told = {"uid": [r[0] for r in rows], "day": [r[1] for r in rows],
                "read_iops": [r[2] for r in rows], **columns}  # fmt: skip
        pa_parquet.write_table(pa.table(told), folder / name, row_group_size=2)
        feed = ensure_feed(name="recorder", protocol=Protocol.FILE, addresses=[],
                           options={"folder": "records"})  # fmt: skip
        return carry_out(run_id=queue_run(feed).pk)

    return run


def steps(pk, *, on=DAY):
    return steps_of(np.array([pk]), first_on=on, n_days=1)[0, 0]


def test_a_day_that_is_over_comes_packed_and_one_that_goes_on_as_rows(sent, make_pool):
    pk = make_pool()
    uid = Entity.objects.get(pk=pk).uid
    run = sent([(uid, DAY, [1.0, None, 3.0]), (uid, NOW.date(), [5.0])])
    assert (run.state, run.n_read, run.n_readings, run.warnings) == (RunState.DONE, 2, 3, [])
    assert steps(pk)[:4].tolist() == pytest.approx([1, np.nan, 3, np.nan], nan_ok=True)
    assert steps(pk, on=NOW.date())[0] == 5
    assert is_packed(DAY)
    assert not is_packed(NOW.date())
    assert hours_of(np.array([pk]), first_on=DAY, n_days=1)[0][0, 0, 0] == pytest.approx(2)


def test_the_same_again_changes_nothing_and_more_is_added(sent, make_pool):
    pk = make_pool()
    uid = Entity.objects.get(pk=pk).uid
    sent([(uid, DAY, [1.0])])
    sent([(uid, DAY, [None, 2.0])], name="b.parquet")
    assert steps(pk)[:3].tolist() == pytest.approx([1, 2, np.nan], nan_ok=True)


BAD = {
    "negative": ([-1.0], "row 1, read_iops: an amount out of range"),
    "infinite": ([float("inf")], "row 1, read_iops: an amount out of range"),
    "too long": ([1.0] * (STEPS_A_DAY + 1), "row 1, read_iops: more than 288 steps"),
}


@pytest.mark.parametrize("case", BAD)
def test_a_bad_row_is_told_and_left_out_and_the_others_stay(sent, make_pool, case):
    amounts, told = BAD[case]
    first, second = make_pool("swift-1"), make_pool("swift-2")
    uids = [Entity.objects.get(pk=pk).uid for pk in (first, second)]
    run = sent([(uids[0], DAY, amounts), (uids[1], DAY, [7.0])])
    assert run.state == RunState.DONE
    assert run.warnings == [told]
    assert np.isnan(steps(first)).all()
    assert steps(second)[0] == 7


def test_what_nobody_knows_lies_ahead_or_is_past_its_time_is_told(sent, make_pool):
    uid = Entity.objects.get(pk=make_pool()).uid
    run = sent([
        ("uuid.nobody", DAY, [1.0]), (uid, NOW.date() + timedelta(days=1), [1.0]),
        (uid, NOW.date() - timedelta(days=40), [1.0]), (None, DAY, [1.0]),
    ])  # fmt: skip
    told = " ".join(run.warnings)
    assert "1 things that no feed had told of were left out: uuid.nobody" in told
    assert "row 2" in told
    assert "row 4: no uid" in told
    assert "1 rows of days before the first" in told
    assert run.n_readings == 0


@pytest.mark.parametrize(
    ("content", "told"),
    [
        (b"uid,day\n", "no Parquet file"),
        ({"uid": ["a"], "read_iops": [[1.0]]}, "lacks day"),
        ({"uid": ["a"], "day": [DAY], "swell": [[1.0]]}, "a column swell"),
        ({"uid": ["a"], "day": [DAY]}, "no part"),
        ({"uid": ["a"], "day": [DAY], "read_iops": ["many"]}, "read_iops is no list of numbers"),
    ],
)
def test_what_is_no_such_table_is_refused_in_words(folder, db, content, told):
    path = folder / "a.parquet"
    if isinstance(content, bytes):
        path.write_bytes(content)
    else:
        pa_parquet.write_table(pa.table(content), path)
    feed = ensure_feed(name="recorder", protocol=Protocol.FILE, addresses=[],
                       options={"folder": "records"})  # fmt: skip
    run = carry_out(run_id=queue_run(feed).pk)
    run = Run.objects.get(pk=run.pk)
    assert run.state == RunState.FAILED
    assert told in run.problem
