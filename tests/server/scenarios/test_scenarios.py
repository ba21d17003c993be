"""Scenarios are kept in revisions; who may see and change them; what bars their moves."""

import pytest

from keelmark.access.models import AuditEntry, Role
from keelmark.access.services.people import ensure_person
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import PoolDocument
from keelmark.estate.models import Entity
from tests.server.cluster import READ_AT, tell
from tests.server.conftest import Api, signed_in
from tests.server.scenarios.planning import ahead, drawn_up, extend, free, place


def text(parts):
    return "".join(one.get("text", f"<{one.get('bytes')}>") for one in parts)


def kinds(scenario):
    return [one["kind"] for one in scenario["moves"]]


def step(api, path, seen, *, is_back):
    return api.send("POST", f"{path}/steps", seen=seen["version"], is_back=is_back)


def test_a_scenario_tells_its_moves_in_words_with_what_they_name(api, estate):
    made = drawn_up(api, extend(estate), place(estate))
    first, second = made["moves"]
    assert text(first["title"]) == "Extend heron-1 · swift-1"
    assert text(second["title"]) == "Place 5 × sonar-new"
    assert text(second["detail"]) == f"<{TIB}> each, +<{7 * GIB}> a week · on heron-1 · swift-1"
    assert {one["name"] for one in second["things"]} == {"swift-1", "kelp"}
    assert second["brings"] == {"id": -2, "kind": "datastore", "name": "sonar-new"}
    assert [one["faults"] for one in made["moves"]] == [[], []]
    assert made["spends"] == 900
    listed = api.get("/scenarios").json()
    assert [(one["name"], one["n_moves"], one["n_barred"]) for one in listed] == [
        ("Spring intake", 2, 0)
    ]
    assert listed[0]["first_on"] == ahead(3)
    names = api.get("/scenarios/names").json()
    assert names == [{"id": made["id"], "name": "Spring intake", "state": "draft"}]


def test_the_kinds_of_moves_tell_their_fields(api, estate):
    told = {one["kind"]: one for one in api.get("/move-kinds").json()}
    asks = {ask["name"]: ask for ask in told["migrate"]["asks"]}
    assert asks["to"]["kinds"] == ["datastore", "pool"]
    assert (asks["n_days"]["is_optional"], asks["n_days"]["without"]) == (True, 1)


def test_changes_are_taken_back_and_done_again(api, estate):
    made = drawn_up(api, extend(estate))
    path = f"/scenarios/{made['id']}"
    assert (made["can_undo"], made["can_redo"]) == (False, False)
    more = api.send(
        "PUT", f"{path}/moves", seen=made["version"], what="place added",
        moves=[*made["moves"], place(estate)],
    ).json()  # fmt: skip
    assert kinds(more) == ["extend_pool", "place"]
    assert more["last_change"] == "place added"
    back = step(api, path, more, is_back=True).json()
    assert (kinds(back), back["can_redo"]) == (["extend_pool"], True)
    forth = step(api, path, back, is_back=False).json()
    assert kinds(forth) == ["extend_pool", "place"]
    back = step(api, path, forth, is_back=True).json()
    other = api.send("PUT", f"{path}/moves", seen=back["version"], what="all out", moves=[]).json()
    assert (kinds(other), other["can_redo"]) == ([], False)
    assert step(api, path, other, is_back=False).status_code == 409


def test_a_change_on_another_state_than_was_seen_is_refused_with_what_stands(api, estate):
    made = drawn_up(api, extend(estate))
    path = f"/scenarios/{made['id']}/moves"
    assert api.send("PUT", path, seen=None, what="x", moves=[]).status_code == 428
    api.send("PUT", path, seen=made["version"], what="x", moves=[])
    late = api.send("PUT", path, seen=made["version"], what="x", moves=made["moves"])
    assert late.status_code == 412
    assert late.json()["stands"]["at"] == 2


def test_a_move_is_put_in_from_anywhere_without_knowing_the_others(api, estate):
    made = drawn_up(api, extend(estate))
    told = api.send(
        "POST", f"/scenarios/{made['id']}/moves", moves=[free(estate, "uuid.v0")]
    ).json()
    assert kinds(told) == ["extend_pool", "free"]
    assert [one["number"] for one in told["moves"]] == [1, 2]


def test_moves_that_belong_together_come_and_go_in_one_change(api, estate):
    path = f"/scenarios/{drawn_up(api, extend(estate))['id']}"
    both = [extend(estate), free(estate, "uuid.v0")]
    told = api.send("POST", f"{path}/moves", moves=both).json()
    assert (kinds(told), told["last_change"]) == (
        ["extend_pool", "extend_pool", "free"],
        "2 moves put in",
    )
    back = api.send("POST", f"{path}/steps", seen=told["version"], is_back=True).json()
    assert kinds(back) == ["extend_pool"]
    refused = api.send("POST", f"{path}/moves", moves=[])
    assert refused.json()["errors"][0]["pointer"] == "#/moves"


def test_numbers_stay_when_moves_are_put_in_another_order(api, estate):
    made = drawn_up(api, place(estate), extend(estate))
    told = api.send(
        "PUT", f"/scenarios/{made['id']}/moves", seen=made["version"], what="reordered",
        moves=[*reversed(made["moves"]), free(estate, "uuid.v0")],
    ).json()  # fmt: skip
    assert [(one["number"], one["kind"]) for one in told["moves"]] == [
        (2, "extend_pool"), (1, "place"), (3, "free"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("move", "pointer"),
    [
        pytest.param({"kind": "sink", "fields": {}}, "#/kind", id="no-such-kind"),
        pytest.param({"kind": "extend_pool", "fields": {"pool": 1}},
                     "#/moves/0/fields/added_bytes", id="field-missing"),
        pytest.param({"kind": "extend_pool", "fields": {"pool": 1, "added_bytes": -4}},
                     "#/moves/0/fields/added_bytes", id="below-nought"),
    ],
)  # fmt: skip
def test_a_move_that_cannot_be_read_is_refused_at_its_field(api, estate, move, pointer):
    told = api.send("POST", "/scenarios", name="x", moves=[{"on": ahead(1), **move}])
    assert told.status_code == 400
    assert any(pointer.split("/")[-1] in one["pointer"] for one in told.json()["errors"])
    assert api.get("/scenarios").json() == []


def test_a_move_that_cannot_be_is_kept_and_says_why(api, estate):
    made = drawn_up(
        api, free(estate, "naa.1"), place(estate, on=-2), extend(estate, pool=77_777_777)
    )
    bars = [[(one["field"], text(one["says"])) for one in move["faults"]] for move in made["moves"]]
    assert bars == [
        [("what", "seabed-1 holds 1 datastore still: kelp-ds")],
        [("on", "its day has been")],
        [("pool", "it is not there on this day")],
    ]
    assert made["moves"][0]["faults"][0]["would_be"] == "free or migrate those first"
    assert api.get("/scenarios").json()[0]["n_barred"] == 3


def test_a_draft_is_its_owners_until_it_is_shared(api, mate, estate):
    made = drawn_up(api, extend(estate))
    path = f"/scenarios/{made['id']}"
    assert mate.get(path).status_code == 404
    assert mate.get("/estate/rows/pool", scenario=made["id"]).status_code == 404
    assert mate.get("/scenarios").json() == []
    shared = api.send("PATCH", path, seen=made["version"], is_shared=True).json()
    seen = mate.get(path).json()
    assert (seen["is_own"], seen["may_change"]) == (False, True)
    assert mate.send("PATCH", path, seen=shared["version"], is_shared=False).status_code == 403
    assert mate.send("POST", f"{path}/comments", text="Why not Deep?").status_code == 201
    assert [one["author"] for one in api.get(path).json()["comments"]] == ["mate"]
    assert {one.action for one in AuditEntry.objects.filter(subject_kind="scenario")} == {
        "draw up scenario", "change scenario",
    }  # fmt: skip


@pytest.mark.parametrize("role", [Role.AUDITOR, Role.TENANT_VIEWER])
def test_who_does_not_plan_reads_at_most(api, estate, role):
    made = drawn_up(api, extend(estate), is_shared=True)
    other = Api(signed_in(ensure_person(name="x", password="neap-tide", role=role)))
    path = f"/scenarios/{made['id']}"
    is_seen = role is Role.AUDITOR
    assert other.get(path).status_code == (200 if is_seen else 404)
    assert len(other.get("/scenarios").json()) == is_seen
    assert other.get(f"{path}/outcome").status_code == (200 if is_seen else 404)
    assert other.send("PUT", f"{path}/moves", what="x", moves=[]).status_code == 403


def test_a_dropped_scenario_is_not_changed_until_it_is_taken_up_again(api, estate):
    made = drawn_up(api, extend(estate))
    path = f"/scenarios/{made['id']}"
    dropped = api.send("PATCH", path, seen=made["version"], is_dropped=True).json()
    assert dropped["state"] == "dropped"
    assert api.send("PUT", f"{path}/moves", what="x", moves=[]).status_code == 409
    again = api.send("PATCH", path, seen=dropped["version"], is_dropped=False).json()
    assert again["state"] == "draft"


def test_a_copy_is_changed_without_the_first(api, estate):
    made = drawn_up(api, extend(estate), place(estate), is_shared=True)
    copy = api.send("POST", f"/scenarios/{made['id']}/copies", name="Buy later").json()
    assert (copy["copied_from"], copy["is_shared"], kinds(copy)) == (
        made["id"], False, ["extend_pool", "place"],
    )  # fmt: skip
    api.send("PUT", f"/scenarios/{copy['id']}/moves", what="out", moves=[])
    assert len(api.get(f"/scenarios/{made['id']}").json()["moves"]) == 2


def test_what_changed_under_a_scenario_is_told_until_it_is_rebased(api, estate):
    made = drawn_up(api, extend(estate), free(estate, "uuid.v0"))
    assert made["changed_under"] == []
    Entity.objects.filter(uid="uuid.v0").update(retired_at=READ_AT)
    tell(
        PoolDocument(uid="uuid.p", array_uid="serial.h", name="swift-1", usable_bytes=22 * TIB,
                     used_bytes=8 * TIB, read_at=READ_AT)
    )  # fmt: skip
    told = api.get(f"/scenarios/{made['id']}").json()
    assert [(one["name"], one["what"]) for one in told["changed_under"]] == [
        ("sonar-0", "gone"), ("swift-1", "size"),
    ]  # fmt: skip
    assert told["changed_under"][1]["after"] == 22 * TIB
    assert told["moves"][1]["faults"][0]["is_bar"]
    based = api.send("POST", f"/scenarios/{made['id']}/rebase", seen=told["version"]).json()
    assert based["changed_under"] == []
