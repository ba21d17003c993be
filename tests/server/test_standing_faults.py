"""What was found wrong in how things stand stays away."""

from datetime import timedelta

import pytest

from keelmark.core.units import EIB, GIB, TIB
from keelmark.estate.documents import (
    ArrayDocument,
    PoolDocument,
    ReadingsDocument,
    VolumeDocument,
)
from keelmark.estate.models import Protocol, Statement
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Feed
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.forecasts.making.pools import refresh
from keelmark.forecasts.making.runs import plan_forecasts
from keelmark.forecasts.models import KeptForecast
from tests.server.conftest import NOW, TODAY
from tests.server.test_forecast_runs import carry_out

N_DAYS = 120
READ_AT = NOW - timedelta(minutes=5)


def history(uid, used):
    first_on = TODAY - timedelta(days=len(used) - 1)
    return ReadingsDocument(uid=uid, first_on=first_on, used_bytes=used)


def volume(uid, *, read_at=READ_AT, size=10 * TIB, written=TIB):
    return VolumeDocument(
        uid=uid, pool_uid="uuid.p", name=uid, size_bytes=size, written_bytes=written,
        read_at=read_at,
    )  # fmt: skip


def bring_in(*documents):
    import_documents(
        [
            ArrayDocument(uid="serial.h", name="heron-1", site="Skerry", read_at=READ_AT),
            PoolDocument(
                uid="uuid.p", array_uid="serial.h", name="swift-1", usable_bytes=100 * TIB,
                used_bytes=40 * TIB, service_class="Swift", read_at=READ_AT,
            ),
            history("uuid.p", [40 * TIB - (N_DAYS - 1 - n) * 200 * GIB for n in range(N_DAYS)]),
            *documents,
        ],
        into=Imported(),
    )  # fmt: skip


def of(uid):
    return KeptForecast.objects.get(entity__uid=uid, metric="used")


def test_what_is_not_judged_is_not_clear(db):
    bring_in(volume("naa.1"), history("naa.1", [TIB] * 4))
    carry_out(plan_forecasts(now=NOW))
    assert (of("naa.1").attention, of("naa.1").attention_because) == (
        "unread",
        "only 4 days read, 14 needed",
    )


@pytest.mark.parametrize(("hours", "state"), [(200, "clear"), (36, "unread")])
def test_a_feed_says_how_old_readings_of_its_things_may_be(db, hours, state):
    old = NOW - timedelta(days=4)
    bring_in(volume("naa.1", read_at=old), history("naa.1", [TIB] * (N_DAYS - 4) + [None] * 4))
    feed = ensure_feed(name="records", protocol=Protocol.FILE, addresses=[], options={})
    source = Statement.objects.get(entity__uid="naa.1").source
    Feed.objects.filter(pk=feed.pk).update(allowed_age_hours=hours, source=source)
    carry_out(plan_forecasts(now=NOW))
    assert of("naa.1").attention == state


def test_who_arrived_in_the_month_leads_by_all_it_brought(db):
    bring_in(
        volume("naa.old"), history("naa.old", [TIB + n * GIB for n in range(N_DAYS)]),
        volume("naa.new"), history("naa.new", [5 * TIB] * 10),
    )  # fmt: skip
    refresh(now=NOW)
    told = "".join(part.get("text", "") for part in KeptForecast.objects.get().reason)
    assert "% of it naa.new" in told


def test_a_part_that_was_never_read_is_left_out_with_its_size(db):
    bring_in(
        PoolDocument(
            uid="uuid.q", array_uid="serial.h", name="swift-2", usable_bytes=100 * TIB,
            used_bytes=10 * TIB, read_at=READ_AT,
        ),
        history("uuid.q", [10 * TIB] * N_DAYS),
    )  # fmt: skip
    carry_out(plan_forecasts(now=NOW))
    assert of("serial.h").size_amount == 200 * TIB


def test_sizes_past_all_marks_stop_no_chunk(db):
    bring_in(
        volume("naa.1"), history("naa.1", [TIB] * N_DAYS),
        volume("naa.huge", size=4 * EIB - 1, written=3 * EIB),
        history("naa.huge", [3 * EIB] * N_DAYS),
    )  # fmt: skip
    run = plan_forecasts(now=NOW)
    carry_out(run)
    assert run.state == "done"
    assert of("naa.1").attention == "clear"
    assert of("naa.huge").size_amount == 4 * EIB - 1
