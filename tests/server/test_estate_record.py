"""How right forecasts were over all of a kind, since when things stand, what totals come to."""

from datetime import timedelta

import numpy as np
import pytest
from msgspec import structs

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person
from keelmark.core.forecast.mix import KNOTS_DAYS
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import ArrayDocument, PoolDocument, ReadingsDocument
from keelmark.estate.models import Entity
from keelmark.feeds.importer import Imported, import_documents
from keelmark.forecasts.making.pools import refresh
from keelmark.forecasts.making.runs import plan_forecasts
from keelmark.forecasts.marks.setting import set_marks
from keelmark.forecasts.models import EstateRecord, KeptForecast
from tests.server.conftest import NOW, TODAY
from tests.server.test_forecast_runs import carry_out

N_DAYS = 120


def pool(name, used, *, usable=100 * TIB):
    """A pool with its readings up to today."""
    first_on = TODAY - timedelta(days=len(used) - 1)
    return [
        PoolDocument(uid=f"uuid.{name}", array_uid="serial.h", name=name, usable_bytes=usable,
                     used_bytes=used[-1], read_at=NOW),
        ReadingsDocument(uid=f"uuid.{name}", first_on=first_on, used_bytes=used),
    ]  # fmt: skip


def bring_in(*pools):
    array = ArrayDocument(uid="serial.h", name="heron-1", site="Skerry", read_at=NOW)
    import_documents([array, *(d for told in pools for d in told)], into=Imported())
    refresh(now=NOW)


def climbing(last, per_day):
    return [round(last - per_day * back) for back in range(N_DAYS - 1, -1, -1)]


def kept(name):
    return KeptForecast.objects.get(entity__name=name, metric="used")


def restless(seed):
    """A pace that changes without notice: every forecast of it was too sure."""
    rng = np.random.default_rng(seed)
    pace = np.cumsum(rng.normal(0, 0.01, N_DAYS))
    level = 40 + np.cumsum(pace + rng.normal(0, 0.02, N_DAYS))
    return [round(max(x, 1.0) * TIB) for x in level]


def test_what_a_kind_missed_widens_its_bands_and_is_told(db, api):
    bring_in(*(pool(f"steady-{n}", restless(n)) for n in range(25)))
    record = EstateRecord.objects.get(kind="pool", metric="used")
    factor = record.widening["0"]
    assert factor > 1.05
    one = kept("steady-3")
    assert one.record["widening"] == pytest.approx(factor, abs=0.01)  # what they alone told
    assert api.get("/forecast-record?kind=pool").json()["widening"] == factor
    told = api.get(f"/forecasts/{one.entity_id}").json()["record"]
    assert told["widening"] == one.record["widening"]
    # The next time it is the kept one that counts, of whatever is made.
    EstateRecord.objects.update(widening={str(back): 1.9 for back in (0, 7, 30, 60, 90)})
    refresh(now=NOW)
    again = kept("steady-3")
    assert again.record["widening"] == 1.9
    n_knots = len(KNOTS_DAYS)
    widths = [np.subtract(of.fan[2 * n_knots :], of.fan[:n_knots]) for of in (one, again)]
    np.testing.assert_allclose(widths[1], widths[0] * 1.9 / one.record["widening"], rtol=0.01)


def test_a_pool_tells_since_when_it_stands_at_its_limit(db):
    dipped = climbing(95 * TIB, TIB // 2)
    dipped[-4] = 89 * TIB  # once more below: it counts from the day after
    bring_in(
        pool("steady-1", climbing(95 * TIB, TIB // 2)),
        pool("steady-2", climbing(40 * TIB, GIB)),
        pool("steady-3", [95 * TIB] * 60 + [96 * TIB] * 60),
        pool("steady-4", dipped),
    )
    # 95 − 0.5 a day: 90 stood ten days ago
    assert kept("steady-1").crossed_on == TODAY - timedelta(days=10)
    assert kept("steady-2").crossed_on is None
    assert kept("steady-3").crossed_on is None  # since before its first reading
    assert kept("steady-4").crossed_on == TODAY - timedelta(days=2)


def test_what_came_is_compared_with_what_was_said_a_month_before(db, api):
    bring_in(pool("steady-1", climbing(95 * TIB, TIB // 2)), pool("steady-2", [40 * TIB] * N_DAYS))
    told = api.get("/forecast-record", kind="pool").json()
    assert (told["n_things"], told["n_came"]) == (2, 1)
    said = kept("steady-1").said_month_ago_on
    assert told["date_error_days"] == abs((kept("steady-1").crossed_on - said).days)
    assert told["date_error_days"] <= 1  # a ruler is known a month ahead
    assert told["days"] == [7, 30, 90]
    assert told["error_percent"][0] == pytest.approx(0, abs=0.1)
    assert told["n_tried"] == sum(
        f.record["n_tried"] for f in KeptForecast.objects.filter(metric="used")
    )


def test_a_record_is_kept_for_an_hour_and_made_anew_at_night(db):
    bring_in(pool("steady-1", climbing(60 * TIB, TIB // 10)))

    def made_at(kind, metric):
        return EstateRecord.objects.get(kind=kind, metric=metric).made_at

    carry_out(plan_forecasts(now=NOW))
    assert made_at("array", "used") == made_at("pool", "used") == NOW
    soon, later = NOW + timedelta(minutes=20), NOW + timedelta(hours=2)
    refresh(now=soon)
    assert made_at("pool", "used") == NOW
    carry_out(plan_forecasts(now=soon, is_everything=True), now=soon)
    assert made_at("array", "used") == soon
    refresh(now=later)
    assert made_at("pool", "used") == later


def test_a_kind_that_was_never_forecast_has_no_record(db, api):
    assert api.get("/forecast-record", kind="bucket").status_code == 404
    assert api.get("/forecast-record", kind="tree").status_code == 400


def test_all_sites_come_to_their_total(db, api):
    bring_in(pool("steady-1", climbing(60 * TIB, TIB // 10)))
    import_documents(
        [
            ArrayDocument(uid="serial.g", name="avocet-1", site="Marram", read_at=NOW),
            PoolDocument(uid="uuid.g", array_uid="serial.g", name="deep-1", usable_bytes=9 * TIB,
                         used_bytes=2 * TIB, read_at=NOW),
            ReadingsDocument(uid="uuid.g", first_on=TODAY - timedelta(days=N_DAYS - 1),
                             used_bytes=climbing(2 * TIB, GIB)),
        ],
        into=Imported(),
    )  # fmt: skip
    assert api.get("/together", kind="tenant").status_code == 404
    carry_out(plan_forecasts(now=NOW))
    told = api.get("/together", kind="site").json()
    assert [part["entity"]["name"] for part in told["parts"]] == ["Skerry", "Marram"]
    for at, whole in enumerate(told["whole_bytes"]):
        assert whole == sum(part["bytes_on"][at] for part in told["parts"])
    # 62 TiB and 0.1 TiB + 1 GiB more a day
    assert told["whole_bytes"][0] == pytest.approx(62 * TIB + 30 * (TIB // 10 + GIB), rel=0.002)
    assert api.get("/together", kind="pool").status_code == 400


def test_a_tenant_viewer_sees_no_record_of_the_estate(db, api, client):
    bring_in(pool("steady-1", climbing(60 * TIB, TIB // 10)))
    viewer = ensure_person(name="viewer", password="ebb-and-flow", role=Role.TENANT_VIEWER)
    client.force_login(viewer)
    assert client.get("/api/v1/forecast-record?kind=pool").status_code == 403
    assert client.get("/api/v1/together?kind=site").status_code == 404


def test_entities_of_the_record_are_those_that_live(db, api):
    bring_in(pool("steady-1", climbing(60 * TIB, TIB // 10)), pool("steady-2", [TIB] * N_DAYS))
    Entity.objects.filter(name="steady-2").update(retired_at=NOW)
    refresh(now=NOW + timedelta(hours=2))
    assert api.get("/forecast-record", kind="pool").json()["n_things"] == 1


def test_what_was_said_before_is_of_the_size_there_was_then(db):
    used = climbing(60 * TIB, TIB // 4)
    told = pool("steady-1", used, usable=200 * TIB)
    sizes = [100 * TIB] * (N_DAYS - 10) + [200 * TIB] * 10
    told[1] = structs.replace(told[1], capacity_bytes=sizes)
    bring_in(told)
    one = kept("steady-1")
    # a month ago 52.5 of 100 TiB: 90 stand 150 days later; now 60 of 200: 180 after 480
    assert (one.said_month_ago_on - TODAY).days == pytest.approx(150 - 30, abs=4)
    assert (one.limit_likely_on - TODAY).days == pytest.approx(480, abs=15)


@pytest.mark.parametrize("holder", ["uuid.steady-1", "site"])
def test_what_was_said_before_is_judged_by_the_marks_of_then(db, planner, holder):
    bring_in(pool("steady-1", climbing(85 * TIB, TIB // 4)))
    site = Entity.objects.get(uid="uuid.steady-1").site
    holder_id = site.pk if holder == "site" else Entity.objects.get(uid=holder).pk
    before = kept("steady-1")
    assert before.crossed_on is None  # 85 of 100 TiB, and the limit mark is 90
    set_marks(actor=planner, entity_id=holder_id,
              marks={"caution_percent": 60, "limit_percent": 70})  # fmt: skip
    carry_out(plan_forecasts(now=NOW + timedelta(minutes=1)))
    refresh(now=NOW)
    of_pool = kept("steady-1")
    of_array = KeptForecast.objects.get(entity__uid="serial.h", metric="used")
    for one in (of_pool, of_array) if holder == "site" else (of_pool,):
        assert one.attention == "over"
        # It stood at 70 for two months, but no mark was there before today.
        assert one.crossed_on == TODAY
        assert one.said_week_ago_on == before.said_week_ago_on
        assert one.said_month_ago_on == before.said_month_ago_on
    # Another change on the same day alters nothing of what stood before it.
    set_marks(actor=planner, entity_id=holder_id, marks={"limit_percent": 80})
    refresh(now=NOW)
    assert kept("steady-1").said_week_ago_on == before.said_week_ago_on
