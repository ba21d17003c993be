import pytest

from keelmark.access.models import AuditEntry, Role
from keelmark.access.services.people import ensure_person
from tests.server.conftest import Api, signed_in


@pytest.fixture
def pool_id(make_pool):
    return make_pool()


def person(name, role=Role.PLANNER):
    return Api(signed_in(ensure_person(name=name, password="neap-tide", role=role)))


def write(api, pool_id, body="Survey season: **doubles** in May."):
    return api.send("POST", f"/estate/things/{pool_id}/notes", body=body)


def bodies(api, pool_id):
    return [note["body"] for note in api.get(f"/estate/things/{pool_id}/notes").json()]


def test_notes_stand_newest_first_with_their_author(api, pool_id):
    write(api, pool_id, "first")
    write(person("operator", Role.OPERATOR), pool_id, "second")
    told = api.get(f"/estate/things/{pool_id}/notes").json()
    assert [(note["body"], note["author"], note["may_change"]) for note in told] == [
        ("second", "operator", False),
        ("first", "planner", True),
    ]


def test_a_changed_note_keeps_its_time_and_says_that_it_was_changed(api, pool_id):
    note = write(api, pool_id).json()
    changed = api.send("PUT", f"/notes/{note['id']}", seen=note["version"], body="less").json()
    assert (changed["body"], changed["written_at"]) == ("less", note["written_at"])
    assert note["changed_at"] is None
    assert changed["changed_at"] > note["written_at"]


def test_a_note_changed_meanwhile_is_not_written_over(api, pool_id):
    note = write(api, pool_id).json()
    api.send("PUT", f"/notes/{note['id']}", seen=note["version"], body="of another window")
    late = api.send("PUT", f"/notes/{note['id']}", seen=note["version"], body="lost?")
    assert (late.status_code, late.json()["stands"]["body"]) == (412, "of another window")
    assert bodies(api, pool_id) == ["of another window"]


def test_a_dropped_note_comes_back(api, pool_id):
    note = write(api, pool_id).json()
    assert api.send("DELETE", f"/notes/{note['id']}").status_code == 204
    assert bodies(api, pool_id) == []
    assert api.send("PUT", f"/notes/{note['id']}", body="gone").status_code == 404
    back = api.send("DELETE", f"/notes/{note['id']}/dropped")
    assert (back.status_code, back.json()["written_at"]) == (200, note["written_at"])
    assert bodies(api, pool_id) == [note["body"]]


@pytest.mark.parametrize("method", ["PUT", "DELETE"])
def test_a_note_of_another_is_theirs_and_an_administrators(api, pool_id, method):
    note = write(api, pool_id).json()
    path = f"/notes/{note['id']}"
    refused = person("other").send(method, path, body="mine")
    assert (refused.status_code, refused.json()["type"]) == (403, "/problems/not-your-note")
    keeper = person("keeper", Role.ADMINISTRATOR)
    assert keeper.send(method, path, body="mended").status_code in (200, 204)


@pytest.mark.parametrize(
    ("body", "said"), [("", "blank"), ("  \n ", "blank"), ("x" * 20_001, "max_length")]
)
def test_a_note_without_words_or_without_end_is_refused(api, pool_id, body, said):
    refused = write(api, pool_id, body)
    assert refused.status_code == 400
    assert [(one["pointer"], one["code"]) for one in refused.json()["errors"]] == [("#/body", said)]


def test_a_tenant_viewer_reads_no_notes_even_of_their_own(api, db):
    from keelmark.access.services.people import set_person
    from keelmark.estate.models import Entity

    now = "2026-01-01T00:00:00Z"
    own = Entity.objects.create(
        kind="tenant", uid="id.t", name="Gauges", first_seen_at=now, last_seen_at=now
    )
    note = write(api, own.pk).json()
    viewer = person("viewer", Role.TENANT_VIEWER)
    keeper = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    person_id = type(keeper).objects.get(username="viewer").pk
    set_person(actor=keeper, person_id=person_id, tenant_ids=[own.pk])
    assert viewer.get(f"/estate/things/{own.pk}/notes").json() == []
    assert viewer.send("DELETE", f"/notes/{note['id']}").status_code == 403


def test_what_is_written_stands_in_the_audit(api, pool_id):
    note = write(api, pool_id, "first").json()
    api.send("PUT", f"/notes/{note['id']}", body="second")
    api.send("DELETE", f"/notes/{note['id']}")
    told = AuditEntry.objects.filter(action__endswith="note on").order_by("pk")
    assert [(one.action, one.subject_id) for one in told] == [
        ("write note on", pool_id), ("change note on", pool_id), ("drop note on", pool_id),
    ]  # fmt: skip
    assert (told[1].before, told[1].after) == ({"body": "first"}, {"body": "second"})


def test_notes_of_what_is_not_there_are_not_found(api, pool_id):
    assert write(api, 10**9).status_code == 404
    assert api.get(f"/estate/things/{10**9}/notes").status_code == 404
