"""Volumes out of an allotment that somebody who plans has made: asked for, made, given back."""

from keelmark.core.units import GIB
from keelmark.estate.models import DrawnVolume, Reservation
from tests.server.scenarios.allotments.allotting import (
    NAME,
    allotted,
    books,
    draw,
    read,
)
from tests.server.scenarios.collecting import collect, go
from tests.server.scenarios.planning import ahead, drawn_up
from tests.server.scenarios.test_accepting import accept


def make(estate, *, size=30 * GIB, name=NAME, on=0, **fields):
    """A datastore out of the allotment of Tide Gauges."""
    told = {"pool": estate["pool"], "cluster": estate["kelp"], "name": name, "size_bytes": size,
            "out_of": estate["tides"], **fields}  # fmt: skip
    return {"on": ahead(on), "kind": "new_datastore", "fields": told}


def allot_first(estate, *, n_bytes=100 * GIB):
    told = {"pool": estate["pool"], "tenant": estate["tides"], "allotted_bytes": n_bytes}
    return {"on": ahead(0), "kind": "allot", "fields": told}


def carried(operator, made, feed):
    """The work order of a scenario, carried out as far as it goes without hands."""
    path = f"/scenarios/{made['id']}/order"
    order = operator.send("POST", path).json()
    operator.send("POST", f"{path}/carrying", seen=order["version"])
    go(feed)
    go(feed)
    return operator.get(path).json()


def says(move):
    return "".join(str(part.get("text", "")) for one in move["faults"] for part in one["says"])


def test_what_is_accepted_is_asked_of_the_allotment_and_not_held_besides(api, estate, tides):
    one = allotted(api, estate)
    before = books(api)
    made = drawn_up(api, make(estate))
    assert made["moves"][0]["faults"] == []
    assert accept(api, made).status_code == 200
    assert books(api) == before
    assert not Reservation.objects.exists()
    told = read(tides, one)
    assert (told["left_bytes"], told["drawn"][0]["name"]) == (70 * GIB, NAME)
    assert drawn_up(api, make(estate, size=71 * GIB, name="b"))["moves"][0]["faults"]
    version = api.get(f"/scenarios/{made['id']}").json()["version"]
    given_up = api.send("DELETE", f"/scenarios/{made['id']}/acceptance", seen=version)
    assert given_up.status_code in (200, 204), given_up.content
    assert (read(tides, one)["left_bytes"], read(tides, one)["drawn"]) == (100 * GIB, [])
    again = api.get(f"/scenarios/{made['id']}").json()
    assert accept(api, again).status_code == 200
    assert read(tides, one)["left_bytes"] == 70 * GIB


def test_never_more_than_is_left_whoever_was_first(api, estate, tides):
    one = allotted(api, estate)
    made = drawn_up(api, make(estate, size=80 * GIB))
    assert draw(tides, one, estate, name="gauge-own").status_code == 202
    refused = accept(api, made)
    assert refused.status_code == 409, refused.content
    assert read(tides, one)["left_bytes"] == 70 * GIB
    assert api.get(f"/scenarios/{made['id']}").json()["state"] == "draft"


def test_its_tenant_neither_carries_it_out_nor_takes_it_back(api, operator, estate, tides):
    one = allotted(api, estate)
    made = drawn_up(operator, make(estate))
    accept(operator, made)
    operator.send("POST", f"/scenarios/{made['id']}/order")
    path = f"/allotments/{one['id']}/volumes/{read(tides, one)['drawn'][0]['id']}"
    for method in ("POST", "DELETE"):
        refused = tides.send(method, path)
        assert (refused.status_code, "deckhand" in refused.json()["detail"]) == (409, True)
    assert operator.send("DELETE", f"/scenarios/{made['id']}/order").status_code in (200, 204)
    assert operator.get(f"/scenarios/{made['id']}").json()["state"] == "accepted"
    assert read(tides, one)["left_bytes"] == 70 * GIB


def test_it_is_made_read_and_may_be_given_back(api, operator, estate, tides, collected):
    one = allotted(api, estate)
    made = drawn_up(operator, make(estate))
    accept(operator, made)
    order = carried(operator, made, collected)
    assert order["steps"][0]["state"] == "verified"
    assert order["steps"][0]["values"]["allotted_to"] == "Tide Gauges"
    told = read(tides, one)
    (drawn,) = told["drawn"]
    assert (drawn["is_read"], drawn["volume_name"], told["left_bytes"]) == (
        True, f"{NAME}-v1", 70 * GIB,
    )  # fmt: skip
    path = f"/allotments/{one['id']}/volumes/{drawn['id']}"
    given = tides.send("DELETE", f"{path}?confirms={NAME}-v1")
    assert given.status_code == 202, given.content
    go(collected)
    assert (read(tides, one)["drawn"], read(tides, one)["left_bytes"]) == ([], 100 * GIB)
    assert operator.get(f"/scenarios/{made['id']}/order").status_code == 200  # it stays


def test_a_plan_that_allots_first_draws_once_that_stands(api, operator, estate, tides, collected):
    before = books(api)
    made = drawn_up(operator, allot_first(estate), make(estate))
    assert not [one for one in made["moves"] if one["faults"]], made["moves"]
    assert accept(operator, made).status_code == 200
    assert books(api)["held_bytes"] - before["held_bytes"] == 100 * GIB
    assert not DrawnVolume.objects.exists()
    carried(operator, made, collected)
    collect(collected)
    (told,) = api.get(f"/allotments?of={estate['tides']}").json()
    assert (told["left_bytes"], told["drawn"][0]["is_read"]) == (70 * GIB, True)
    assert books(api)["held_bytes"] - before["held_bytes"] == 100 * GIB


def test_work_on_what_was_drawn_takes_nothing_more_of_the_pool(api, estate):
    allotted(api, estate)
    plan = [make(estate), {
        "on": ahead(1), "kind": "place",
        "fields": {"name": "gauge-vm", "n_vms": 2, "to": -1, "cluster": estate["kelp"],
                   "disks": [{"size_bytes": 10 * GIB, "written_percent": 50}]},
    }]  # fmt: skip
    made = drawn_up(api, *plan)
    assert not [one for one in made["moves"] if one["faults"]], made["moves"]

    def pool(**query):
        told = api.get("/estate/rows/pool", at=ahead(30), scope="name:steady-1", **query,
                       columns="used,reserved,promised")  # fmt: skip
        return told.json()["results"][0]["cells"]

    assert pool(scenario=made["id"]) == pool()


def test_where_nothing_is_allotted_nothing_comes_out_of_it(api, estate):
    (move,) = drawn_up(api, make(estate))["moves"]
    assert "nothing is allotted of" in says(move)
    assert accept(api, drawn_up(api, make(estate), name="b")).status_code == 409
