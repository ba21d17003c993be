"""Accepting: what a scenario takes is held, everywhere and once, until it lapses or is given up."""

from datetime import timedelta

import pytest

from keelmark.access.clock import now
from keelmark.access.models import AuditEntry
from keelmark.bearings.packs.building import build_revision
from keelmark.core.days import EPOCH
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import VolumeDocument
from keelmark.estate.models import Entity, Reservation
from keelmark.forecasts.making.pools import refresh
from tests.server.cluster import READ_AT, tell
from tests.server.conftest import NOW, TODAY
from tests.server.scenarios.planning import ahead, drawn_up, extend, free, outcome, place

HALF = 5 * TIB // 2  # what the five VMs write on their first day


def accept(api, made, *, days=60, seen=None):
    return api.send("POST", f"/scenarios/{made['id']}/acceptance",
                    seen=seen or made["version"], lapses_on=ahead(days))  # fmt: skip


def accepted(api, *moves, **more):
    told = accept(api, drawn_up(api, *moves, **more))
    assert told.status_code == 200, told.content
    return told.json()


def held(api, made):
    return api.get(f"/scenarios/{made['id']}/acceptance").json()


def pool_at(api, day, **query):
    told = api.get("/estate/rows/pool", at=ahead(day), scope="swift-1", **query,
                   columns="used,reserved,promised,runway,state,size")  # fmt: skip
    return told.json()["results"][0]["cells"]


def test_what_would_be_held_is_told_before_it_is_accepted_and_is_what_is_held(api, estate):
    made = drawn_up(api, place(estate, disks=[{"size_bytes": TIB, "written_percent": 50,
                    "bytes_a_week": 7 * GIB, "min_iops": 20, "busy_iops": 90}]))  # fmt: skip
    before = held(api, made)
    assert (before["is_accepted"], before["lapses_on"]) == (False, ahead(7 + 30))
    told = accept(api, made).json()
    assert (told["state"], told["is_shared"]) == ("accepted", True)
    after = held(api, made)
    assert after["places"] == before["places"]
    (one,) = after["places"]
    assert (one["name"], one["home_name"], one["kind"]) == ("swift-1", "heron-1", "pool")
    assert (one["first_on"], one["first_bytes"], one["most_bytes"]) == (ahead(7), HALF, 5 * TIB)
    assert (one["min_iops"], one["busy_iops"], one["come_bytes"]) == (100, 450, 0)
    assert (after["accepted_by"], after["lapses_on"]) == ("planner", ahead(60))
    assert AuditEntry.objects.filter(action="accept scenario", subject_id=made["id"]).exists()


def test_every_screen_and_every_other_plan_sees_it_from_its_day(api, estate):
    plain = [pool_at(api, day) for day in (6, 7)]
    made = accepted(api, place(estate))
    before, then = (pool_at(api, day) for day in (6, 7))
    assert before["reserved"] == plain[0]["reserved"]
    assert then["reserved"] == plain[1]["reserved"] + HALF
    assert then["used"] == plain[1]["used"]
    assert then["promised"] > plain[1]["promised"]
    other = drawn_up(api, extend(estate))
    assert pool_at(api, 7, scenario=other["id"])["reserved"] == then["reserved"]
    # Its own plan has the bytes used, not used and held.
    own = pool_at(api, 7, scenario=made["id"])
    assert (own["used"], own["reserved"]) == (plain[1]["used"] + HALF, plain[1]["reserved"])
    thing = api.get(f"/estate/things/{estate['uuid.p']}", at=ahead(7)).json()["ledger"]
    assert thing["held_bytes"] == HALF
    steps = next(one for one in thing["workings"] if one["figure"] == "plannable")["steps"]
    assert {"held by accepted scenarios", "thick, not yet written"} <= {x["label"] for x in steps}


def test_the_date_of_a_pool_and_its_forecast_move_by_what_is_held(api, estate):
    work = place(estate, n_vms=9, disks=[{"size_bytes": TIB, "written_percent": 100}])
    made = drawn_up(api, work)
    planned = pool_at(api, 0, scenario=made["id"])["runway"]
    before = api.get(f"/forecasts/{estate['uuid.p']}").json()
    assert before["held"] == []
    accept(api, made)
    assert pool_at(api, 0)["runway"] == planned
    told = api.get(f"/forecasts/{estate['uuid.p']}").json()
    assert told["limit"]["likely_on"] == (EPOCH + timedelta(days=planned)).isoformat()
    assert told["held"] == [
        {"scenario_id": made["id"], "first_on": ahead(7), "most_bytes": 9 * TIB}
    ]
    as_of = before["as_of"]
    at = 7 + (TODAY - TODAY.fromisoformat(as_of)).days - 1
    for name in ("p10", "p50", "p90"):
        off = [told["path"][name][day] - before["path"][name][day] for day in (at - 1, at)]
        assert off == [0, 9 * TIB]
    refresh(now=NOW)
    listed = api.get("/pools").json()["results"][0]
    assert listed["limit"] == told["limit"]
    assert {"bytes": 9 * TIB} in listed["reason"]
    whole = api.get(f"/forecasts/{estate['serial.h']}").json()
    assert [one["most_bytes"] for one in whole["held"]] == [9 * TIB]


def test_new_work_finds_no_room_where_it_is_held(api, estate):
    asked = {"n_vms": 1, "last_until_on": ahead(60), "disks": [{"size_bytes": 100 * GIB}]}

    def margin(check):
        told = api.send("POST", "/placements", **asked).json()["candidates"]
        pool = next(one for one in told if one["datastore"] is None)
        return pool, next(one for one in pool["margins"] if one["check"] == check)["amount"]

    plain, before = margin("space")
    accepted(api, place(estate, disks=[{"size_bytes": TIB, "written_percent": 50}]))
    after_pool, after = margin("space")
    assert before - after == pytest.approx(HALF, rel=1e-3)  # found by halving
    assert plain["n_fit"] > after_pool["n_fit"]


def test_what_a_plan_makes_room_for_itself_is_not_held(api, estate):
    made = drawn_up(api, extend(estate, on=3), place(estate, on=7))
    assert held(api, made)["places"] == []
    late = drawn_up(api, place(estate, on=7), extend(estate, on=9))
    (one,) = held(api, late)["places"]
    accept(api, late)
    assert one["first_on"] == ahead(7)
    assert [pool_at(api, day)["reserved"] for day in (7, 9)] == [HALF, 0]


def test_it_lapses_is_renewed_and_is_given_up(api, estate):
    made = accepted(api, place(estate))
    path = f"/scenarios/{made['id']}/acceptance"
    Reservation.objects.update(lapses_on=TODAY)
    assert pool_at(api, 7)["reserved"] == 0
    renewed = api.send("PATCH", path, seen=made["version"], lapses_on=ahead(90)).json()
    assert held(api, made)["lapses_on"] == ahead(90)
    assert pool_at(api, 7)["reserved"] == HALF
    assert [one["for_name"] for one in api.get("/reservations").json()] == ["Spring intake"]
    back = api.send("DELETE", path, seen=renewed["version"]).json()
    assert (back["state"], pool_at(api, 7)["reserved"]) == ("draft", 0)
    assert api.send("DELETE", path, seen=back["version"]).status_code == 409
    again = accept(api, back).json()
    api.send("PATCH", f"/scenarios/{made['id']}", seen=again["version"], is_dropped=True)
    assert not Reservation.objects.exists()


def test_what_was_accepted_is_not_changed_but_in_a_copy(api, mate, estate):
    made = accepted(api, place(estate))
    path = f"/scenarios/{made['id']}"
    told = api.send("PUT", f"{path}/moves", seen=made["version"], what="x", moves=[])
    assert (told.status_code, told.json()["type"]) == (409, "/problems/accepted")
    assert api.send("POST", f"{path}/moves", moves=[extend(estate)]).status_code == 409
    named = mate.send("PATCH", path, seen=made["version"], name="Neap intake")
    assert named.status_code == 200
    assert mate.get("/reservations").json()[0]["for_name"] == "Neap intake"
    copy = mate.send("POST", f"{path}/copies", name="otherwise").json()
    assert (copy["state"], copy["may_change"]) == ("draft", True)


@pytest.mark.parametrize(
    ("moves", "days", "status", "says"),
    [
        (["place"], 0, 400, "after today"),
        (["place"], 4_000, 400, "after today"),
        ([], 9, 409, "no move of it does anything"),
        (["barred"], 9, 409, "cannot be"),
    ],
)
def test_what_cannot_be_accepted_says_why_and_holds_nothing(api, estate, moves, days, status, says):
    made = drawn_up(api, *[{"place": place(estate),
                            "barred": place(estate, on=-3)}[one] for one in moves])  # fmt: skip
    told = accept(api, made, days=days)
    assert told.status_code == status
    assert says in told.content.decode()
    assert not Reservation.objects.exists()


def test_who_saw_another_state_or_may_not_see_it_does_not_accept_it(api, mate, estate):
    made = drawn_up(api, place(estate))
    assert accept(mate, made).status_code == 404
    api.send("PATCH", f"/scenarios/{made['id']}", seen=made["version"], note="more")
    assert accept(api, made).status_code == 412
    assert accept(api, made, seen=held_version(api, made)).status_code == 200
    assert accept(api, made, seen=held_version(api, made)).status_code == 409


def held_version(api, made):
    return api.get(f"/scenarios/{made['id']}").json()["version"]


def test_what_has_come_is_held_no_longer(api, estate):
    made = accepted(api, place(estate, on=0))
    tell(
        VolumeDocument(uid="naa.came", pool_uid="uuid.p", name="sonar-store", size_bytes=6 * TIB,
                       written_bytes=TIB, read_at=READ_AT)
    )  # fmt: skip
    came = Entity.objects.get(uid="naa.came").pk
    Reservation.objects.update(came_ids=[came], changed_at=NOW + timedelta(seconds=1))
    build_revision(now=NOW)
    (one,) = held(api, made)["places"]
    assert (one["come_bytes"], one["most_bytes"]) == (TIB, 5 * TIB)
    assert pool_at(api, 0)["reserved"] == HALF - TIB
    (line,) = api.get("/reservations", of=estate["serial.h"]).json()
    assert line["come_bytes"] == TIB


def test_the_outcome_of_an_accepted_plan_counts_it_once(api, estate):
    made = drawn_up(api, place(estate), free(estate, "uuid.v0", on=9))
    before = outcome(api, made, days=30)
    accept(api, made)
    after = outcome(api, made, days=30)

    def line(told):
        return next(one for one in told["lines"] if one["scenario_id"] == made["id"])

    assert {**line(after), "version": 0} == {**line(before), "version": 0}


def test_what_is_held_is_counted_once_in_a_course(api, estate):
    made = drawn_up(api, place(estate, on=7))
    path = f"/scenarios/{made['id']}/course/{estate['uuid.p']}"
    before = api.get(path).json()
    assert before["added_bytes"][10] > 0
    accept(api, made)
    build_revision(now=now())
    # It is told as it is already, so that the scenario itself brings nothing more.
    assert max(map(abs, api.get(path).json()["added_bytes"])) < GIB
    other = drawn_up(api, place(estate, on=7), name="Other")
    again = api.get(f"/scenarios/{other['id']}/course/{estate['uuid.p']}").json()
    assert again["added_bytes"][10] == pytest.approx(before["added_bytes"][10], rel=0.01)
