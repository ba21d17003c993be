import csv
from datetime import date, timedelta

import pytest
from django.contrib.auth.models import User

from keelmark.core.units import TIB
from keelmark.estate.documents import VolumeDocument
from keelmark.estate.models import Entity
from keelmark.feeds.importer import Imported, import_documents
from keelmark.forecasts.api.pools import PoolRead
from keelmark.forecasts.pools.rows import row_of
from keelmark.forecasts.pools.selectors import pools_for
from keelmark.readings.models import DailyReading
from tests.server.conftest import N_DAYS, NOW, TODAY


@pytest.fixture
def three_pools(make_pool, refresh_all):
    ids = {
        "flat": make_pool("deep-1", array="avocet-2", site="Marram", service_class="Deep"),
        "ends": make_pool("swift-2", used_tib=80, growth_tib=0.5),
        "later": make_pool("swift-3", used_tib=60, growth_tib=0.2),
    }
    refresh_all()
    return ids


def pool_with_forecast(pool_id):
    return pools_for(User.objects.get(username="planner")).get(pk=pool_id)


def names(answer):
    return [row["name"] for row in answer.json()["results"]]


def test_what_ends_first_stands_at_the_top(api, three_pools):
    rows = api.get("/pools").json()["results"]
    assert [row["id"] for row in rows] == [three_pools[k] for k in ("ends", "later", "flat")]
    first = rows[0]
    # 10 TiB to the limit at 0.5 a day: 20 days, inside the 45 that it takes to buy
    likely = date.fromisoformat(first["limit"]["likely_on"])
    assert abs((likely - TODAY).days - 20) <= 1
    assert (first["attention"], first["reach"]) == ("urgent", "inside_lead_time")
    early = date.fromisoformat(first["limit"]["early_on"])
    assert date.fromisoformat(first["order_by_on"]) == early - timedelta(days=45)
    assert (rows[1]["reach"], rows[2]["reach"]) == ("later", "no_end")


def test_a_row_carries_the_ledger_to_the_byte(api, three_pools):
    row = api.get("/pools").json()["results"][0]
    assert row["usable_bytes"] == 100 * TIB
    assert row["used_bytes"] == 80 * TIB
    assert row["free_bytes"] == 20 * TIB
    assert row["plannable_bytes"] == 10 * TIB
    assert row["exposure_bytes"] == 10 * TIB
    assert row["overcommit_percent"] == pytest.approx(110)


def test_a_listed_row_says_exactly_what_the_schema_says(api, three_pools):
    row = api.get("/pools").json()["results"][0]
    assert set(row) == set(PoolRead().fields)
    assert PoolRead(row_of(pool_with_forecast(row["id"]), held_bytes=0)).data == row


@pytest.mark.parametrize(
    ("scope", "wanted"),
    [
        ("site:Marram", ["deep-1"]),
        ("class:Swift", ["swift-2", "swift-3"]),
        ("-class:Swift", ["deep-1"]),
        ("site:Marram site:Skerry state:clear", ["swift-3", "deep-1"]),
        ("array:heron-1 state:urgent", ["swift-2"]),
        ("heron swift-3", ["swift-3"]),
        ("-heron", ["deep-1"]),
        ("nothing-of-that-name", []),
    ],
)
def test_a_scope_narrows_and_excludes(api, three_pools, scope, wanted):
    assert names(api.get("/pools", scope=scope)) == wanted


@pytest.mark.parametrize(
    ("scope", "told"),
    [("colour:red", "no colour"), ("site:", "value is missing"), ("state:fine", "no state"),
     ('"open', "quotation mark")],
)  # fmt: skip
def test_a_scope_that_cannot_be_read_is_a_problem_that_says_why(api, db, scope, told):
    answer = api.get("/pools", scope=scope)
    assert answer.status_code == 400
    assert told in answer.json()["detail"]
    assert answer.json()["errors"][0]["pointer"] == "#/scope"


def test_facets_count_the_scope(api, three_pools):
    facets = api.get("/facets", scope="class:Swift").json()
    assert facets["n_pools"] == 2
    assert facets["sites"] == [{"name": "Skerry", "n_pools": 2}]
    assert {s["name"]: s["n_pools"] for s in facets["states"]} == {"urgent": 1, "clear": 1}


def test_pages_follow_each_other(api, make_pool, refresh_all):
    made = {make_pool(f"swift-{n}", used_tib=40 + n, growth_tib=0.2) for n in range(5)}
    made |= {make_pool(f"deep-{n}") for n in range(3)}
    refresh_all()
    seen, path = [], "/pools?page_size=2"
    while path:
        page = api.client.get(f"/api/v1{path}").json()
        seen += [row["id"] for row in page["results"]]
        path = page["next"] and page["next"].split("/api/v1")[1]
    assert len(seen) == len(made)
    assert set(seen) == made


def test_the_list_takes_the_same_queries_for_one_pool_and_many(
    api, make_pool, refresh_all, django_assert_num_queries
):
    make_pool("swift-1")
    refresh_all()
    # session, person, role, pools, what is held of them, what is allotted
    with django_assert_num_queries(6):
        api.get("/pools")
    for number in range(2, 7):
        make_pool(f"swift-{number}")
    refresh_all()
    with django_assert_num_queries(6):
        api.get("/pools")


def test_one_pool_tells_every_working(api, three_pools):
    pool = api.get(f"/pools/{three_pools['ends']}").json()
    workings = {w["figure"]: w for w in pool["workings"]}
    assert set(workings) == {"used", "free", "plannable", "overcommit", "exposure"}
    plannable = {s["label"]: s["amount"] for s in workings["plannable"]["steps"]}
    assert plannable["line not to pass"] == 90 * TIB
    assert plannable["plannable"] == pool["plannable_bytes"]
    ends, order_by = api.get(f"/forecasts/{pool['id']}").json()["workings"]
    likely = next(s for s in ends["steps"] if s["label"].startswith("likely"))
    assert likely["on"] == pool["limit"]["likely_on"]
    assert order_by["steps"][-1]["on"] == pool["order_by_on"]


def test_series_hold_a_day_each_and_null_where_unread(api, make_pool, refresh_all):
    pool_id = make_pool(used_tib=50, growth_tib=0.1)
    refresh_all()
    series = api.get(f"/soundings/{pool_id}", days=N_DAYS + 4).json()
    assert (series["metric"], series["unit"]) == ("used", "bytes")
    assert len(series["amounts"]) == len(series["sizes"]) == N_DAYS + 4
    assert series["amounts"][:3] == [None] * 3
    assert series["amounts"][-1] == 50 * TIB


def test_a_forecast_has_a_fan_in_order(api, three_pools):
    forecast = api.get(f"/forecasts/{three_pools['ends']}", days=30).json()
    path = forecast["path"]
    assert [len(path[name]) for name in ("p10", "p25", "p50", "p75", "p90")] == [30] * 5
    assert path["p10"][-1] <= path["p50"][-1] <= path["p90"][-1]
    assert forecast["growth_per_day"] == pytest.approx(0.5 * TIB, rel=0.05)


@pytest.mark.parametrize("days", ["0", "x", "99999"])
def test_a_window_out_of_range_is_refused(api, three_pools, days):
    answer = api.get(f"/soundings/{three_pools['ends']}", days=days)
    assert answer.status_code == 400
    assert answer.json()["errors"][0]["pointer"] == "#/days"


@pytest.mark.parametrize("part", ["", "/volumes"])
def test_a_pool_that_is_not_there_is_a_404_problem(api, db, part):
    answer = api.get(f"/pools/987654{part}")
    assert answer.status_code == 404
    assert answer["Content-Type"] == "application/problem+json"


VOLUMES = {"b": (3, 9), "a": (7, 8), "c": (None, 7), "d": (7, 6)}  # written, size


@pytest.mark.parametrize(
    ("order", "wanted"),
    [("-written", "dabc"), ("written", "cbad"), ("-size", "bacd"), ("size", "dcab"),
     ("-name", "dcba"), ("name", "abcd")],
)  # fmt: skip
def test_volumes_come_in_the_order_asked_for_page_by_page(
    api, make_pool, monkeypatch, order, wanted
):
    pool_id = make_pool("swift-1")
    pool_uid = Entity.objects.get(pk=pool_id).uid
    import_documents([
        VolumeDocument(uid=f"wwn.{name}", pool_uid=pool_uid, name=name, read_at=NOW,
                       size_bytes=size, written_bytes=written)
        for name, (written, size) in VOLUMES.items()
    ], into=Imported())  # fmt: skip
    monkeypatch.setattr("keelmark.forecasts.api.pools.VolumePages.page_size", 3)
    page = api.get(f"/pools/{pool_id}/volumes", order=order).json()
    rest = api.client.get(page["next"]).json()
    assert "".join(one["name"] for one in page["results"] + rest["results"]) == wanted
    assert rest["next"] is None


def test_an_order_of_volumes_that_is_none_is_refused(api, make_pool):
    answer = api.get(f"/pools/{make_pool()}/volumes", order="uid")
    assert (answer.status_code, answer.json()["errors"][0]["pointer"]) == (400, "#/order")


def test_an_old_reading_makes_a_pool_unread_and_says_since_when(api, make_pool, refresh_all):
    make_pool("swift-2", used_tib=95, growth_tib=0.5, age=timedelta(days=4))
    refresh_all()
    row = api.get("/pools").json()["results"][0]
    assert row["attention"] == "unread"
    assert "no reading for 4 d" in row["reason"][0]["text"]


def test_changes_tell_of_a_shift_and_its_pool(api, make_pool, refresh_all):
    pool_id = make_pool("deep-2", used_tib=40)
    jumped = DailyReading.objects.filter(entity_id=pool_id, day__gte=TODAY - timedelta(days=10))
    jumped.update(used_bytes=60 * TIB)
    refresh_all()
    shift = next(c for c in api.get("/changes").json() if c["kind"] == "shift")
    assert shift["pool_id"] == pool_id
    assert shift["headline"][1]["bytes"] == pytest.approx(20 * TIB, rel=0.01)


def test_what_would_have_been_said_before_is_kept_beside_the_date(api, three_pools):
    pool = api.get(f"/pools/{three_pools['ends']}").json()
    likely = date.fromisoformat(pool["limit"]["likely_on"])
    for name in ("said_week_ago_on", "said_month_ago_on"):
        # a steady pace: what was said then is what is said now
        assert abs((date.fromisoformat(pool[name]) - likely).days) <= 2


def test_a_date_that_moved_in_a_week_is_told(api, make_pool, refresh_all):
    pool_id = make_pool("swift-2", used_tib=70, growth_tib=0.2)
    pace = {TODAY - timedelta(days=back): 70 + (6 - back) * 1.2 for back in range(7)}
    for day, used_tib in pace.items():
        DailyReading.objects.filter(entity_id=pool_id, day=day).update(
            used_bytes=round(used_tib * TIB)
        )
    refresh_all()
    moved = next(c for c in api.get("/changes").json() if c["kind"] == "date")
    assert moved["pool_id"] == pool_id
    assert "sooner" in moved["headline"][0]["text"]


def test_changes_keep_to_the_scope(api, make_pool, make_feed, refresh_all):
    make_pool("swift-1", array="heron-1")
    make_pool("swift-1", array="avocet-2", site="Marram")
    make_feed("http://127.0.0.1:1", name="heron-1")
    make_feed("http://127.0.0.1:1", name="avocet-2")
    refresh_all()
    told = [c["headline"][0]["text"] for c in api.get("/changes", scope="site:Marram").json()]
    assert told == ["Feed avocet-2 is late"]


def test_an_export_holds_the_scope_in_the_order_of_the_list(api, make_pool, refresh_all):
    make_pool("swift-2", used_tib=80, growth_tib=0.5)
    make_pool("=cmd()", used_tib=40)
    make_pool("deep-1", service_class="Deep")
    refresh_all()
    answer = api.get("/pools/export", scope="class:Swift")
    assert answer["Content-Disposition"] == 'attachment; filename="pools.csv"'
    rows = list(csv.DictReader(answer.content.decode().splitlines()))
    assert [row["name"] for row in rows] == ["swift-2", "'=cmd()"]
    assert rows[0]["used_bytes"] == str(80 * TIB)
    assert rows[0]["limit_likely_on"]
    assert rows[1]["limit_likely_on"] == ""


def test_past_the_limit_the_working_tells_both_ways_back(api, make_pool, refresh_all):
    pool_id = make_pool("deep-1", used_tib=99)
    refresh_all()
    standing = api.get(f"/forecasts/{pool_id}").json()
    steps = {step["label"]: step["amount"] for step in standing["workings"][0]["steps"]}
    assert standing["attention"] == "over"
    assert steps["back by freeing"] == 9 * TIB
    assert steps["or by adding to usable"] == 10 * TIB  # 99 is 90 % of 110
