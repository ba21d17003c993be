"""Allotments: held for a tenant, drawn on by its own operator, and never beyond."""

import csv
import io

import pytest
from django.db import IntegrityError

from keelmark.access.models import AuditEntry, Membership, Role
from keelmark.core.units import GIB, TIB
from keelmark.estate.models import Allotment, DrawnVolume, Reservation
from keelmark.feeds.changes.carrying import carry_out as carry_changes
from keelmark.scenarios.models import Scenario
from keelmark.scenarios.services.carrying import go_on_all
from tests.server.scenarios.allotments.allotting import (
    NAME,
    allot,
    allotted,
    books,
    draw,
    of_tenant,
    read,
)
from tests.server.scenarios.collecting import collect, go
from tests.server.scenarios.planning import ahead, drawn_up
from tests.server.scenarios.test_accepting import accept


def test_it_is_held_for_the_tenant_and_seen_by_all(api, estate, tides):
    before = books(api)
    one = allotted(api, estate, min_iops=500)
    after = books(api)
    assert after["held_bytes"] == before["held_bytes"] + 100 * GIB
    assert before["plannable_bytes"] - after["plannable_bytes"] == 100 * GIB
    (held,) = api.get(f"/reservations?of={estate['pool']}").json()
    assert (held["for_name"], held["scenario_id"], held["most_bytes"]) == (
        "Tide Gauges", None, 100 * GIB,
    )  # fmt: skip
    mine = read(tides, one)
    assert (mine["left_bytes"], mine["min_iops"], mine["tenant"]["name"]) == (
        100 * GIB, 500, "Tide Gauges",
    )  # fmt: skip
    assert mine["clusters"] == [{"id": estate["kelp"], "name": "kelp"}]
    assert AuditEntry.objects.filter(action="allot", subject_id=one["id"]).exists()


def test_of_others_nothing_is_seen(api, estate, tides):
    one = allotted(api, estate, tenant="web")
    assert tides.get("/allotments").json() == []
    assert tides.get(f"/allotments/{one['id']}").status_code == 404
    assert draw(tides, one, estate).status_code == 404
    viewer = of_tenant("looks", estate["web"], role=Role.TENANT_VIEWER)
    assert [each["id"] for each in viewer.get("/allotments").json()] == [one["id"]]
    assert draw(viewer, one, estate).status_code == 403
    assert tides.send("POST", "/allotments", pool_id=1).status_code == 403


@pytest.mark.parametrize(
    ("told", "status", "pointer"),
    [
        ({"n_bytes": 900 * TIB}, 422, "#/allotted_bytes"),
        ({"from_on": "2020-01-01"}, 400, "#/from_on"),
        ({"min_iops": -1}, 400, "#/min_iops"),
        ({"n_bytes": 0}, 400, "#/allotted_bytes"),
    ],
    ids=["more than there is", "has been", "below nought", "nothing"],
)
def test_what_cannot_be_allotted_is_refused(api, estate, told, status, pointer):
    answer = allot(api, estate, **told)
    assert answer.status_code == status
    assert answer.json()["errors"][0]["pointer"] == pointer
    assert not Allotment.objects.exists()


def test_no_second_one_of_a_pool_and_no_less_than_is_taken(api, estate, tides):
    one = allotted(api, estate)
    assert allot(api, estate).status_code == 409
    assert draw(tides, one, estate).status_code == 202
    version = read(api, one)["version"]
    path = f"/allotments/{one['id']}"
    less = api.send("PATCH", path, seen=version, allotted_bytes=20 * GIB)
    assert (less.status_code, "32,212,254,720" in less.json()["detail"]) == (422, True)
    more = api.send("PATCH", path, seen=version, allotted_bytes=200 * GIB, note="for the storm")
    assert (more.status_code, more.json()["left_bytes"]) == (200, 170 * GIB)
    assert api.send("PATCH", path, seen=version, min_iops=1).status_code == 412
    ended = api.send("DELETE", path, seen=more.json()["version"])
    assert (ended.status_code, api.get("/allotments").json()) == (204, [])
    assert not api.get(f"/reservations?of={estate['pool']}").json()


def test_a_tenant_makes_a_volume_of_its_own_and_no_bytes_are_held_twice(
    api, estate, tides, array, collected
):
    before = books(api)
    one = allotted(api, estate)
    told = draw(tides, one, estate, thickness="thick").json()
    (drawn,) = told["drawn"]
    assert (told["left_bytes"], drawn["is_read"], drawn["waits_for"]) == (
        70 * GIB, False, "far end",
    )  # fmt: skip
    assert drawn["scenario_id"] is None
    assert draw(tides, one, estate, thickness="thick").json()["left_bytes"] == 70 * GIB  # once
    assert books(api)["held_bytes"] - before["held_bytes"] == 100 * GIB
    go(collected)
    go(collected)
    (drawn,) = read(tides, one)["drawn"]
    assert (drawn["is_read"], drawn["volume_name"], drawn["waits_for"]) == (
        True, f"{NAME}-v1", "hand",
    )  # fmt: skip
    assert [each["state"] for each in drawn["steps"]] == ["verified", "verified", "to do"]
    (volume,) = [v for _, v in array.service.tree.ground.volumes.values() if v.name[:9] == NAME]
    assert len(volume.seen_by) == 2
    after = books(api)
    # All of what is thick has come: it is used or unwritten, and not held besides.
    assert after["held_bytes"] - before["held_bytes"] == 70 * GIB
    assert after["provisioned_bytes"] - before["provisioned_bytes"] == volume.size_bytes
    assert not Reservation.objects.exists()
    seen = api.get(f"/allotments?of={estate['tides']}").json()[0]["drawn"][0]
    order = api.get(f"/scenarios/{seen['scenario_id']}/order").json()
    assert (order["made_by"], order["carrying"]["by"]) == ("tides", "tides")


def test_never_beyond(api, estate, tides):
    one = allotted(api, estate)
    assert draw(tides, one, estate, size=101 * GIB).status_code == 422
    assert draw(tides, one, estate, size=60 * GIB).status_code == 202
    beyond = draw(tides, one, estate, size=41 * GIB, name="gauge-two", key="k2")
    assert (beyond.status_code, beyond.json()["errors"][0]["pointer"]) == (422, "#/size_bytes")
    assert draw(tides, one, estate, name=NAME, key="k3").status_code == 409
    other = draw(tides, one, estate, name="x", key="k4", cluster_id=estate["pool"])
    assert (other.status_code, "kelp" in other.json()["detail"]) == (400, True)
    assert draw(tides, one, estate, size=40 * GIB, name="gauge-two", key="k5").status_code == 202
    assert read(tides, one)["left_bytes"] == 0
    later = allotted(api, estate, tenant="web", from_on=ahead(5))
    assert draw(of_tenant("web", estate["web"]), later, estate, key="k6").status_code == 409


def test_a_volume_is_given_back(api, estate, tides, array, collected):
    one = allotted(api, estate)
    waiting = draw(tides, one, estate).json()["drawn"][0]
    path = f"/allotments/{one['id']}/volumes/{waiting['id']}"
    assert tides.send("DELETE", path).status_code == 409  # it is being made
    go(collected)
    go(collected)
    assert tides.send("DELETE", path).status_code == 409  # its name was not typed
    told = tides.send("DELETE", f"{path}?confirms={NAME}-v1")
    assert told.status_code == 202, told.content
    assert told.json()["drawn"][0]["is_leaving"]
    go(collected)
    told = read(tides, one)
    assert (told["drawn"], told["left_bytes"]) == ([], 100 * GIB)
    made = [v for _, v in array.service.tree.ground.volumes.values() if v.name[:9] == NAME]
    assert made == []


def test_what_the_array_refuses_is_tried_again_or_given_back(api, estate, tides, array, collected):
    array.fault("refuses")
    one = allotted(api, estate)
    drawn = draw(tides, one, estate).json()["drawn"][0]
    carry_changes(feed_id=collected.pk)
    go_on_all()
    told = read(tides, one)["drawn"][0]
    assert told["stopped"].startswith("Step 1:")
    path = f"/allotments/{one['id']}/volumes/{drawn['id']}"
    array.fault("none")
    assert tides.send("POST", path).status_code == 202
    array.fault("refuses")
    carry_changes(feed_id=collected.pk)
    go_on_all()
    given = tides.send("DELETE", path).json()
    assert (given["drawn"], given["left_bytes"]) == ([], 100 * GIB)
    assert DrawnVolume.objects.get().dropped_at is not None


def test_what_may_be_there_is_not_given_away_twice(api, estate, tides, array, collected):
    array.fault("hangs-up")  # it is made, and nobody is told
    one = allotted(api, estate)
    drawn = draw(tides, one, estate).json()["drawn"][0]
    carry_changes(feed_id=collected.pk)
    go_on_all()
    array.fault("none")
    path = f"/allotments/{one['id']}/volumes/{drawn['id']}"
    refused = tides.send("DELETE", path)
    assert (refused.status_code, "may be there" in refused.json()["detail"]) == (409, True)
    order = api.get("/allotments").json()[0]["drawn"][0]["scenario_id"]
    assert api.send("DELETE", f"/scenarios/{order}/order").status_code == 409
    collect(collected)  # it is, and it counts
    told = read(tides, one)
    assert (told["drawn"][0]["is_read"], told["left_bytes"]) == (True, 70 * GIB)


def test_a_key_makes_one_volume_alone(api, estate, tides):
    one = allotted(api, estate)
    assert draw(tides, one, estate, key="same").status_code == 202
    assert draw(tides, one, estate, key="same").status_code == 202
    assert draw(tides, one, estate, key="same", name="other").status_code == 409
    assert DrawnVolume.objects.count() == 1


def test_who_may_no_longer_provision_carries_nothing_further(api, estate, tides, collected):
    one = allotted(api, estate)
    draw(tides, one, estate)
    person = Membership.objects.get(user__username="tides")
    person.role = Role.TENANT_VIEWER
    person.save()
    go(collected)
    assert "may carry nothing out" in read(tides, one)["drawn"][0]["stopped"]


def test_a_plan_allots_and_what_it_held_is_not_held_besides(api, operator, estate):
    move = {
        "on": ahead(0), "kind": "allot",
        "fields": {"pool": estate["pool"], "tenant": estate["tides"], "allotted_bytes": TIB},
    }  # fmt: skip
    before = books(api)
    made = drawn_up(operator, move)
    assert accept(operator, made).status_code == 200
    assert books(api)["held_bytes"] - before["held_bytes"] == TIB
    order = operator.send("POST", f"/scenarios/{made['id']}/order").json()
    (step,) = order["steps"]
    assert (step["kind"], step["carriage"]["can_be"]) == ("allot", True)
    path = f"/scenarios/{made['id']}/order"
    operator.send("POST", f"{path}/carrying", seen=order["version"])
    told = operator.get(path).json()
    assert (told["steps"][0]["state"], told["ended_at"] is not None) == ("verified", True)
    assert books(api)["held_bytes"] - before["held_bytes"] == TIB
    (one,) = api.get("/allotments").json()
    assert (one["allotted_bytes"], one["made_by"]) == (TIB, "deckhand")
    again = drawn_up(operator, {**move, "on": ahead(2)})["moves"][0]
    assert "has an allotment of" in "".join(
        str(part.get("text")) for fault in again["faults"] for part in fault["says"]
    )


def test_one_key_in_one_instant_at_two_allotments_makes_one_volume(api, estate, tides, monkeypatch):
    """The other one is written between the look and the writing."""
    one = allotted(api, estate)
    n_before = Scenario.objects.count()

    def taken(**_):
        raise IntegrityError("drawn_once")

    monkeypatch.setattr(DrawnVolume.objects, "create", taken)
    refused = draw(tides, one, estate)
    assert (refused.status_code, "key" in refused.json()["detail"].lower()) == (409, True)
    assert (Scenario.objects.count(), read(tides, one)["drawn"]) == (n_before, [])


def test_allotments_are_exported_with_what_was_drawn_and_to_each_their_own(api, estate, tides):
    one = allotted(api, estate, min_iops=500)
    allotted(api, estate, tenant="web", n_bytes=GIB)
    assert draw(tides, one, estate).status_code == 202
    for who, tenants in ((api, {"Tide Gauges", "Public Web"}), (tides, {"Tide Gauges"})):
        answer = who.get("/allotments/export")
        assert answer["Content-Disposition"] == 'attachment; filename="allotments.csv"'
        rows = list(csv.DictReader(io.StringIO(answer.content.decode())))
        assert {row["tenant"] for row in rows} == tenants
    (row,) = rows
    assert (row["allotted_bytes"], row["left_bytes"]) == (str(100 * GIB), str(70 * GIB))
    assert (row["volume"], row["size_bytes"], row["min_iops"]) == (NAME, str(30 * GIB), "500")
