import json
from datetime import UTC, datetime, timedelta

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver

from keelmark.access.models import ApiToken, AuditEntry, Role, Scope
from keelmark.access.services.people import ensure_person
from keelmark.access.services.tokens import make_token
from keelmark.bearings.packs.building import build_revision
from tests.conftest import NOW, PASSWORD
from tests.server.conftest import signed_in

OPEN_ROUTES = {"session", "page", "unknown"}
SIGNED_IN = {"name": "planner", "password": "spring-tide"}


def routes(resolver: URLResolver | None = None, prefix: str = ""):
    for pattern in (resolver or get_resolver()).url_patterns:
        path = prefix + str(pattern.pattern)
        if isinstance(pattern, URLPattern):
            yield path, pattern.name
        else:
            yield from routes(pattern, path)


def post(client, path, **body):
    return client.post(f"/api/v1{path}", body, content_type="application/json")


@pytest.fixture
def as_role(db):
    def make(role: Role) -> Client:
        return signed_in(ensure_person(name=f"a {role}", password="neap-tide", role=role))

    return make


def test_signing_in_and_out(planner):
    client = Client()
    told = client.get("/api/v1/session").json()
    assert (told["is_signed_in"], told["role"], told["rights"]) == (False, None, [])
    told = post(client, "/session", **SIGNED_IN).json()
    assert (told["name"], told["role"]) == ("planner", "planner")
    assert "manage feeds" in told["rights"]
    assert client.get("/api/v1/pools").status_code == 200
    assert client.delete("/api/v1/session").status_code == 204
    assert client.get("/api/v1/pools").status_code == 401


def test_a_wrong_password_is_refused_without_saying_which_was_wrong(planner):
    for name in ("planner", "nobody"):
        answer = post(Client(), "/session", name=name, password="neap")
        assert answer.status_code == 401
        assert answer["Content-Type"] == "application/problem+json"
        assert answer.json()["type"] == "/problems/sign-in-refused"


def test_signing_in_needs_the_csrf_token(planner):
    client = Client(enforce_csrf_checks=True)
    assert post(client, "/session", **SIGNED_IN).status_code == 403


def test_no_route_answers_a_stranger(db):
    walked = set()
    for path, name in routes():
        if name in OPEN_ROUTES or not path.startswith("api/"):
            continue
        plain = path.removeprefix("api/v1/^").removesuffix("$").removesuffix("\\Z")
        plain = f"api/v1/{plain.removeprefix('api/v1/')}"
        for group in (
            "(?P<pool_id>\\d+)", "(?P<pk>[^/.]+)", "(?P<pk>\\d{1,18})",
            "(?P<key>[A-Za-z0-9._-]{1,200})",
            "<int:entity_id>", "<str:key>", "<int:sifting_id>", "<int:note_id>", "<int:policy_id>",
            "<int:tier_id>", "<int:scenario_id>", "<int:place>", "<int:allotment_id>",
            "<int:drawn_id>",
        ):  # fmt: skip
            plain = plain.replace(group, "1")
        plain = plain.replace("<str:kind>", "pool")
        assert "(" not in plain, plain
        answer = Client().get(f"/{plain}")
        assert answer.status_code in (401, 403, 405), plain
        walked.add(plain)
    assert len(walked) >= 20


@pytest.mark.parametrize("path", ["/pools", "/feeds", "/runs"])
def test_a_person_put_out_of_service_is_turned_away(api, planner, path):
    planner.is_active = False
    planner.save()
    assert api.get(path).status_code == 401


def test_a_person_without_a_role_sees_nothing(db):
    client = signed_in(User.objects.create_user("drifter"))
    assert client.get("/api/v1/pools").status_code == 403


# What each role may do: every operation of the schema, and what it answers when nothing is there.
READ = {role.value for role in Role}
SEE_FEEDS = READ - {"tenant viewer", "tenant operator"}
DO = {"planner", "operator", "administrator"}
WHO: dict[str, set[str]] = {
    "changes_list": READ, "facets_retrieve": READ, "findings_list": READ,
    "findings_counts_list": READ, "findings_export_retrieve": READ,
    "kinds_list": READ, "tenants_list": READ, "forecasts_list": READ,
    "forecasts_read": READ, "together_read": READ, "contributors_read": READ, "berths_read": READ,
    "soundings_read": READ,
    "reference_read": READ, "marks_read": READ, "marks_set": DO, "limits_list": READ,
    "limits_beside_space": READ, "together_total": READ, "forecast_record_read": SEE_FEEDS,
    "reference_set": DO, "reference_unset": DO,
    "forecast_runs_list": SEE_FEEDS, "pools_list": READ, "pools_export_retrieve": READ,
    "pools_retrieve": READ,
    "pools_volumes_list": READ, "trace_read": READ, "tokens_list": READ,
    "tokens_create": READ, "tokens_destroy": READ,
    "feeds_list": SEE_FEEDS, "feeds_retrieve": SEE_FEEDS, "runs_list": SEE_FEEDS,
    "runs_retrieve": SEE_FEEDS, "mappings_list": SEE_FEEDS,
    "feeds_create": DO, "feeds_partial_update": DO, "feeds_destroy": DO,
    "feeds_collect_create": DO, "feeds_trial_create": DO, "feeds_documents_create": DO,
    "sheets_create": DO, "sheets_retrieve": DO, "sheets_check_create": DO,
    "sheets_import_create": DO, "mappings_create": DO, "placement_try": DO,
    "estate_kinds": READ, "estate_rows": READ, "estate_export": READ, "estate_selected": READ,
    "estate_facets": READ, "estate_area": READ, "estate_coast": READ, "estate_strata": READ,
    "estate_thing": READ, "estate_tide": READ, "estate_words": READ, "estate_jump": READ,
    "estate_details": READ, "estate_disks": READ, "estate_performance": READ,
    "estate_eaters_of_io": READ,
    "notes_list": READ, "notes_write": DO, "notes_change": DO, "notes_drop": DO,
    "notes_bring_back": DO,
    "rule_kinds": READ, "policies_list": READ, "policies_revisions": READ, "policies_draw_up": DO,
    "policies_revise": DO, "policies_retire": DO, "policies_try": DO, "policies_promise": DO,
    "verdicts_list": READ, "verdicts_of_thing": READ, "verdicts_changes": READ,
    "policies_days": SEE_FEEDS,
    "tiers_list": READ, "tiers_revisions": READ, "tiers_draw_up": DO, "tiers_revise": DO,
    "tiers_retire": DO, "tiers_name": DO, "offers_list": READ, "lanes_list": READ,
    "lanes_grouped": READ,
    "lanes_export": READ, "verdicts_export": READ, "verdicts_ids": READ,
    "replays_try": DO,
    "change_sets_list": SEE_FEEDS, "change_sets_retrieve": SEE_FEEDS, "change_sets_create": DO,
    "change_sets_release_create": {"operator"}, "change_sets_drop_create": DO,
    "change_sets_retry_create": {"operator"}, "change_sets_take_back_create": {"operator"},
    "offers_causes": SEE_FEEDS, "pulse": READ, "unknown_names": READ,
    "rightings_list": SEE_FEEDS, "rightings_set": {"operator"},
    "move_kinds": READ, "scenarios_list": READ, "scenarios_read": READ, "scenarios_outcome": READ,
    "scenarios_answer": READ,
    "scenarios_draw_up": DO, "scenarios_change": DO, "scenarios_moves_set": DO,
    "scenarios_moves_put_in": DO, "scenarios_step": DO, "scenarios_names": READ,
    "scenarios_rebase": DO, "scenarios_copy": DO, "scenarios_say": DO,
    "scenarios_course": READ, "scenarios_acceptance": READ, "scenarios_accept": DO,
    "scenarios_renew": DO, "scenarios_give_up": DO, "reservations_list": READ,
    "orders_read": READ, "orders_make": DO, "orders_drop": DO, "orders_tell_step": DO,
    "orders_prove": DO, "orders_carry": {"operator"}, "orders_halt": {"operator"},
    "orders_carry_step": {"operator"}, "orders_take_step_back": {"operator"},
    "intake_read": DO, "placement_more_of": DO, "placement_together": DO,
    "placement_objects": DO, "placement_outcome": DO,
    "prices_read": SEE_FEEDS, "prices_draw_up": DO,
    "allotments_list": READ, "allotments_read": READ, "allotments_make": DO,
    "allotments_export": READ,
    "allotments_change": DO, "allotments_end": DO,
    "allotments_provision": {"operator", "tenant operator"},
    "allotments_go_on": {"operator", "tenant operator"},
    "allotments_give_back": {"operator", "tenant operator"},
    "siftings_list": READ, "siftings_keep": READ, "siftings_drop": READ,
    "audit_list": {"auditor", "administrator"},
    "people_list": {"administrator"}, "people_create": {"administrator"},
    "people_partial_update": {"administrator"},
}  # fmt: skip
ANYBODY = {
    "session_read", "session_begin", "session_end", "session_confirm", "password_change",
    "second_factor_begin", "second_factor_confirm", "second_factor_drop", "sessions_list",
    "sessions_end",
}  # fmt: skip


def operations():
    from keelmark.config.state import PROJECT

    schema = json.loads((PROJECT / "docs/openapi.json").read_text())
    return sorted(
        (operation["operationId"], method, path)
        for path, methods in schema["paths"].items()
        for method, operation in methods.items()
        if isinstance(operation, dict) and "operationId" in operation
    )


@pytest.mark.parametrize("role", list(Role))
def test_every_operation_answers_each_role_as_it_should(as_role, role, settings):
    build_revision(now=NOW)
    settings.PICTURE_IS_MADE_WHEN_ASKED = False  # once is enough
    client = as_role(role)
    walked = set()
    for name, method, path in operations():
        if name in ANYBODY:
            continue
        plain = path
        for key in (
            "{pool_id}",
            "{entity_id}",
            "{id}",
            "{pk}",
            "{key}",
            "{sifting_id}",
            "{note_id}",
            "{policy_id}",
            "{tier_id}",
            "{scenario_id}",
            "{place}",
            "{allotment_id}",
            "{drawn_id}",
        ):
            plain = plain.replace(key, "1")
        plain = plain.replace("{kind}", "pool")
        assert "{" not in plain, plain
        answer = client.generic(
            method.upper(), plain, "{}", content_type="application/json",
            headers={"If-Match": "*"},
        )  # fmt: skip
        is_let_in = answer.status_code != 403
        assert is_let_in == (role in WHO[name]), (name, role, answer.status_code)
        assert answer.status_code < 500, (name, answer.content)
        walked.add(name)
    assert walked == WHO.keys()


def test_a_tenant_viewer_sees_their_own_tenants_alone(as_role, db):
    from keelmark.access.services.people import set_person
    from keelmark.estate.documents import (
        ClusterDocument,
        ProjectDocument,
        TenantDocument,
        VirtualMachineDocument,
    )
    from keelmark.estate.models import Entity
    from keelmark.feeds.importer import Imported, import_documents

    now = datetime.now(UTC)
    documents = [ClusterDocument(uid="id.c", name="kelp", read_at=now)]
    for tenant in ("gauges", "seabed"):
        documents += [
            TenantDocument(uid=f"id.{tenant}", name=tenant, read_at=now),
            ProjectDocument(
                uid=f"id.p-{tenant}", name="p", tenant_uid=f"id.{tenant}", read_at=now
            ),
            VirtualMachineDocument(
                uid=f"uuid.{tenant}", name=f"vm-{tenant}", cluster_uid="id.c",
                project_uid=f"id.p-{tenant}", read_at=now,
            ),
        ]  # fmt: skip
    import_documents(documents, into=Imported())
    client = as_role(Role.TENANT_VIEWER)
    assert client.get("/api/v1/trace?name=vm-gauges").status_code == 404
    keeper = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    own = Entity.objects.get(uid="id.gauges")
    viewer = User.objects.get(username="a tenant viewer")
    set_person(actor=keeper, person_id=viewer.pk, tenant_ids=[own.pk])
    assert client.get("/api/v1/trace?name=vm-gauges").json()["name"] == "vm-gauges"
    assert client.get("/api/v1/trace?name=vm-seabed").status_code == 404
    counted = {row["kind"]: row["n"] for row in client.get("/api/v1/kinds").json()}
    assert (counted["vm"], counted["project"], counted["tenant"]) == (1, 1, 1)
    assert counted["cluster"] == 0
    assert client.get("/api/v1/pools").json()["results"] == []
    assert [row["name"] for row in client.get("/api/v1/tenants").json()] == ["gauges"]


class TokenClient(Client):
    def __init__(self, secret: str) -> None:
        super().__init__(HTTP_AUTHORIZATION=f"Bearer {secret}")


def test_a_token_reads_as_its_person_and_is_kept_as_a_digest_alone(planner):
    token, secret = make_token(actor=planner, name="report", scopes=[Scope.READ], n_days=30)
    assert TokenClient(secret).get("/api/v1/pools").status_code == 200
    assert secret not in json.dumps(list(ApiToken.objects.values("digest", "hint", "name")))
    token.refresh_from_db()
    assert token.last_used_at is not None


@pytest.mark.parametrize(
    ("scopes", "method", "path", "wanted"),
    [
        ([Scope.READ], "get", "/pools", 200),
        ([Scope.READ], "post", "/placements", 403),
        ([Scope.READ], "post", "/placements/outcome", 403),
        ([Scope.WRITE], "get", "/pools", 403),
        ([Scope.PUSH], "get", "/pools", 403),
        ([Scope.PUSH], "post", "/feeds/1/documents", 400),
        ([Scope.READ, Scope.WRITE], "post", "/feeds/1/documents", 403),
    ],
)
def test_a_token_does_what_its_scopes_name(planner, scopes, method, path, wanted):
    _, secret = make_token(actor=planner, name="t", scopes=scopes, n_days=1)
    answer = TokenClient(secret).generic(
        method.upper(), f"/api/v1{path}", "{}", content_type="application/json"
    )
    if path.endswith("documents") and wanted == 400:
        assert answer.status_code in (400, 404, 415)
    else:
        assert answer.status_code == wanted


def test_a_token_that_is_revoked_expired_or_unknown_is_turned_away(planner, api):
    token, secret = make_token(actor=planner, name="t", scopes=[Scope.READ], n_days=1)
    assert api.send("DELETE", f"/tokens/{token.pk}").status_code == 204
    assert TokenClient(secret).get("/api/v1/pools").status_code == 401
    other, secret = make_token(actor=planner, name="t", scopes=[Scope.READ], n_days=1)
    ApiToken.objects.filter(pk=other.pk).update(expires_at=datetime.now(UTC))
    for bad in (secret, "keel_nothing", "", "a b"):
        assert TokenClient(bad).get("/api/v1/pools").status_code == 401


def test_anothers_token_cannot_be_revoked(planner, api):
    other = ensure_person(name="other", password="neap-tide")
    token, _ = make_token(actor=other, name="t", scopes=[Scope.READ], n_days=1)
    assert api.send("DELETE", f"/tokens/{token.pk}").status_code == 404


def test_writes_leave_their_before_and_after_and_never_a_secret(api, make_feed, as_role):
    feed = make_feed("http://127.0.0.1:1", password=PASSWORD)
    api.send("PATCH", f"/feeds/{feed.pk}", is_paused=True, password="new-moon")
    entry = as_role(Role.AUDITOR).get("/api/v1/audit").json()["results"][0]
    assert (entry["actor_name"], entry["action"]) == ("planner", "set feed")
    assert (entry["before"]["is_paused"], entry["after"]["is_paused"]) == (False, True)
    assert "new-moon" not in json.dumps(list(AuditEntry.objects.values("before", "after")))


def test_the_log_is_narrowed_to_who_wrote_and_what(api, make_feed, as_role):
    feed = make_feed("http://127.0.0.1:1")
    api.send("PATCH", f"/feeds/{feed.pk}", is_paused=True)
    post(api.client, "/tokens", name="report", scopes=["read"])
    auditor = as_role(Role.AUDITOR)

    def actions(**wanted):
        told = auditor.get("/api/v1/audit", wanted)
        return [entry["action"] for entry in told.json()["results"]]

    assert actions(by="planner") == ["make token", "set feed"]
    assert actions(kind="feed") == ["set feed"]
    assert actions(by="keel") == []
    assert actions(before=(datetime.now(UTC) - timedelta(days=1)).isoformat()) == []
    assert auditor.get("/api/v1/audit?before=soon").json()["errors"][0]["pointer"] == "#/before"


def test_people_are_added_changed_and_refused_by_name(as_role):
    client = as_role(Role.ADMINISTRATOR)
    made = post(client, "/people", name="pilot", password="slack-water", role="operator")
    assert (made.status_code, made.json()["role"]) == (201, "operator")
    assert post(client, "/people", name="Pilot", password="slack-water",
                role="operator").status_code == 409  # fmt: skip
    short = post(client, "/people", name="mate", password="x", role="operator")
    assert (short.status_code, short.json()["errors"][0]["pointer"]) == (400, "#/password")
    unknown = post(client, "/people", name="mate", password="slack-water", role="auditor",
                   tenant_ids=[9])  # fmt: skip
    assert unknown.json()["errors"][0]["pointer"] == "#/tenant_ids"
    path = f"/api/v1/people/{made.json()['id']}"
    changed = client.patch(
        path, {"is_active": False}, content_type="application/json",
        headers={"If-Match": f'"{made.json()["version"]}"'},
    )  # fmt: skip
    assert changed.json()["is_active"] is False
    assert post(Client(), "/session", name="pilot", password="slack-water").status_code == 401


def test_answers_carry_their_policies(api):
    answer = api.get("/pools")
    assert answer["Content-Security-Policy"].startswith("default-src 'none'")
    assert answer["X-Frame-Options"] == "DENY"
    assert answer["X-Content-Type-Options"] == "nosniff"
    assert answer["Referrer-Policy"] == "same-origin"
