"""What bytes cost: lists in revisions, and what places and plans cost by the one that counts."""

import pytest

from keelmark.access.clock import now
from keelmark.access.models import AuditEntry
from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import TIB
from keelmark.estate.documents import PoolDocument
from tests.server.cluster import READ_AT, tell
from tests.server.scenarios.planning import ahead, drawn_up, extend, outcome, place
from tests.server.scenarios.test_outcomes import cells, line
from tests.server.scenarios.test_placements import of_pool, placed


@pytest.fixture
def classed(estate):
    """The pool of the cluster is of a class by which it can be priced."""
    tell(
        PoolDocument(
            uid="uuid.p", array_uid="serial.h", name="swift-1", usable_bytes=20 * TIB,
            used_bytes=8 * TIB, provisioned_bytes=10 * TIB, read_at=READ_AT, service_class="Swift",
        )
    )  # fmt: skip
    build_revision(now=now())
    return estate


def draw_up(api, *, seen="*", **told):
    body = {"currency": "crowns", "basis": "promised", "by_class": {"Swift": "40"}} | told
    return api.send("PUT", "/prices", seen=seen, **body)


def of_class(told, name="Swift"):
    return next(one for one in told["classes"] if one["name"] == name)


def test_without_a_list_nothing_costs_anything_and_nothing_is_told_of_it(api, classed):
    told = api.get("/prices").json()
    assert (told["number"], told["currency"], told["revisions"]) == (0, "", [])
    assert (of_class(told)["price"], of_class(told)["costs_a_month"]) == (None, None)
    assert of_class(told)["promised_bytes"] == 10 * TIB
    answer = placed(api)
    assert (answer["currency"], of_pool(answer)["cost_a_month"]) == ("", None)
    plain = line(outcome(api, drawn_up(api)), None)
    assert (plain["costs_a_month"], plain["n_unpriced"]) == (None, 1)


def test_a_list_counts_from_when_it_is_drawn_up_and_those_before_stay(api, classed):
    assert draw_up(api).json()["number"] == 1
    second = draw_up(api, by_class={"Swift": "42.5000"}, basis="written", note="Dearer.").json()
    assert [one["number"] for one in second["revisions"]] == [2, 1]
    assert [one["by_class"] for one in second["revisions"]] == [{"Swift": "42.5"}, {"Swift": "40"}]
    assert second["revisions"][0]["made_by"] == "planner"
    assert of_class(second)["costs_a_month"] == pytest.approx(42.5 * 8)
    deeds = AuditEntry.objects.filter(action="draw up prices").order_by("pk")
    assert [one.after["number"] for one in deeds] == [1, 2]


def test_two_who_draw_one_up_at_once_do_not_lose_each_others(api, mate, classed):
    seen = api.get("/prices").json()["version"]
    assert draw_up(api, seen=seen).status_code == 200
    late = draw_up(mate, seen=seen, by_class={"Swift": "1"})
    assert (late.status_code, late.json()["stands"]["by_class"]) == (412, {"Swift": "40"})
    assert draw_up(mate, seen=None).status_code == 428
    assert of_class(api.get("/prices").json())["price"] == "40.0000"


@pytest.mark.parametrize(
    ("told", "field"),
    [
        ({"by_class": {"Lukewarm": "3"}}, "by_class"),
        ({"by_class": {"Swift": "-1"}}, "by_class"),
        ({"by_class": {"Swift": "0.00001"}}, "by_class"),
        ({"by_class": {"Swift": "many"}}, "by_class"),
        ({"by_class": {"Swift": "9999999999"}}, "by_class"),
        ({"basis": "hoped for"}, "basis"),
        ({"currency": ""}, "currency"),
        ({"currency": "a very long word"}, "currency"),
    ],
)
def test_what_is_no_list_is_refused_by_its_field_and_nothing_is_written(api, classed, told, field):
    answer = draw_up(api, **told)
    assert answer.status_code in (400, 422)
    assert field in str(answer.json())
    assert api.get("/prices").json()["number"] == 0


@pytest.mark.parametrize(
    ("basis", "cost"), [("promised", 4_552 / 1024 * 40), ("written", 2 * 40.0)]
)
def test_a_place_tells_what_the_work_costs_there(api, classed, basis, cost):
    draw_up(api, basis=basis)
    told = placed(api)
    assert (told["currency"], of_pool(told)["cost_a_month"]) == ("crowns", cost)
    alone = {"runway": 0, "balance": 0, "performance": 0, "cost": 1}
    assert placed(api, weights=alone)["n_fitting"] == told["n_fitting"]
    refused = api.send("POST", "/placements", **{
        "n_vms": 1, "last_until_on": ahead(9), "disks": [{"size_bytes": TIB}],
        "weights": dict.fromkeys(alone, 0),
    })  # fmt: skip
    assert (refused.status_code, "weights" in str(refused.json())) == (400, True)


def test_an_outcome_tells_what_a_plan_costs_a_month_on_its_day(api, classed):
    draw_up(api)
    made = drawn_up(api, extend(classed, on=3), place(classed, on=7))
    for day in (1, 3, 7):
        told = outcome(api, made, days=day)
        before, after = line(told, None), line(told, made)
        assert (told["currency"], before["costs_a_month"]) == ("crowns", 400.0)
        assert (before["n_unpriced"], after["n_unpriced"]) == (0, 0)
        # What a list of pools says is promised there then is what is paid for.
        query = {"columns": "promised", "at": ahead(day), "scenario": made["id"]}
        promised = cells(api, "pool", **query)["swift-1"]["promised"]
        assert after["costs_a_month"] == pytest.approx(40 * promised / TIB)
        assert (promised > 10 * TIB) == (day == 7)
    # Another list, another sum, of the same plan.
    draw_up(api, by_class={"Swift": "10"})
    dearer = after["costs_a_month"]
    assert line(outcome(api, made, days=7), made)["costs_a_month"] == pytest.approx(dearer / 4)
