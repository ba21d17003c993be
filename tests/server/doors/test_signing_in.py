"""Doors 5 and 7: guesses, passwords, sessions, second factors, and what no token may do."""

import json
import threading
from datetime import UTC, datetime, timedelta

import pyotp
import pytest
from django.contrib.auth.hashers import get_hasher
from django.contrib.auth.models import User
from django.test import Client

from keelmark.access import passwords
from keelmark.access.errors import HashingBusyError
from keelmark.access.models import Allowance, ApiToken, AuditEntry, KeptSession, Role, Scope
from keelmark.access.origin import network_of
from keelmark.access.services.allowances import Ration, sweep_allowances, take
from keelmark.access.services.people import ensure_person, first_person, set_person
from keelmark.access.services.tokens import make_token
from tests.server.conftest import confirm, signed_in

RIGHT = {"name": "planner", "password": "spring-tide"}


def send(client, method, path, *, seen="*", address="10.0.0.1", headers=None, **body):
    return client.generic(
        method, f"/api/v1{path}", json.dumps(body), content_type="application/json",
        REMOTE_ADDR=address, headers={"If-Match": seen, **(headers or {})},
    )  # fmt: skip


def guess(name="planner", *, client=None, address="10.0.0.1", **facts):
    asked = {"name": name, "password": "wrong guess", **facts}
    return send(client or Client(), "POST", "/session", address=address, **asked)


@pytest.fixture
def keeper(db):
    return ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)


def test_guesses_are_counted_before_they_are_checked_and_slowed(planner):
    answers = [guess().status_code for _ in range(12)]
    assert answers == [401] * 10 + [429] * 2
    told = guess()
    assert 0 < int(told["Retry-After"]) <= 40
    assert guess("nobody").status_code == 401  # another name, known or not
    assert [guess("nobody").status_code for _ in range(10)][-1] == 429


def test_nobody_is_shut_out_by_who_guesses_at_their_name(planner):
    own = Client()
    assert send(own, "POST", "/session", **RIGHT).status_code == 200
    for _ in range(40):
        guess(address="10.6.6.6")
    assert guess(address="10.7.7.7").status_code == 429  # the name is slowed for strangers
    assert send(own, "POST", "/session", **RIGHT).status_code == 200  # and not for its browser


def test_a_slowed_name_is_let_in_once_its_wait_is_over(planner):
    for _ in range(11):
        guess()
    Allowance.objects.update(at=datetime.now(UTC) - timedelta(seconds=41))
    assert send(Client(), "POST", "/session", **RIGHT).status_code == 200


def test_one_address_guesses_at_many_names_no_faster(planner, settings):
    settings.SIGN_INS_AT_ONCE = 5
    assert [guess(f"n{n}").status_code for n in range(7)] == [401] * 5 + [429] * 2
    assert guess("n8", address="10.0.0.2").status_code == 401


@pytest.mark.parametrize(
    ("n_proxies", "forwarded", "told"),
    [
        (0, "10.2.2.2", "10.0.0.1"),
        (1, "10.9.9.9, 10.2.2.2", "10.2.2.2"),
        (2, "10.9.9.9, 10.2.2.2, 10.3.3.3", "10.2.2.2"),
        (2, "10.2.2.2", "10.2.2.2"),
        (1, "no address", ""),
    ],
)
def test_only_as_many_forwarded_addresses_are_believed_as_there_are_proxies(
    planner, settings, n_proxies, forwarded, told
):
    settings.N_PROXIES = n_proxies
    send(Client(), "POST", "/session", headers={"X-Forwarded-For": forwarded}, **RIGHT)
    assert AuditEntry.objects.get(action="sign in").address == told


def test_a_network_of_one_is_rationed_as_one():
    assert network_of("2001:db8::1") == network_of("2001:db8::ffff")
    assert network_of("10.0.0.1") != network_of("10.0.0.2")


def test_a_ration_drains_with_time_and_asking_does_not_fill_it(db):
    ration = Ration(n_at_once=2, every_seconds=10)
    now = datetime.now(UTC)
    assert [take("x", ration=ration, now=now) for _ in range(2)] == [0, 0]
    assert [take("x", ration=ration, now=now) for _ in range(5)] == [10] * 5
    assert take("x", ration=ration, now=now + timedelta(seconds=10)) == 0
    assert sweep_allowances(now=now + timedelta(days=2)) == 1


def test_only_a_few_passwords_are_hashed_at_once(settings, monkeypatch):
    settings.PASSWORD_HASHERS = ["keelmark.access.passwords.BoundedArgon2"]
    monkeypatch.setattr(passwords, "WAIT_SECONDS", 0.05)
    inside, most = 0, 0
    lock, gate = threading.Lock(), threading.Event()

    def held(self, *_args):
        nonlocal inside, most
        with lock:
            inside += 1
            most = max(most, inside)
        gate.wait(5)
        with lock:
            inside -= 1
        return "x"

    monkeypatch.setattr(passwords.Argon2PasswordHasher, "encode", held)
    told: list[object] = []

    def work():
        try:
            told.append(get_hasher().encode("guess", "salt"))
        except HashingBusyError as exc:
            told.append(exc.status)

    threads = [threading.Thread(target=work) for _ in range(20)]
    for thread in threads:
        thread.start()
    while told.count(503) < 18:
        assert len(told) <= 18
    gate.set()
    for thread in threads:
        thread.join()
    assert (most, told.count("x")) == (passwords.AT_ONCE, passwords.AT_ONCE)


@pytest.mark.parametrize(
    ("name", "password", "field"),
    [
        ("mate", "short", "password"),
        ("mate", "password1234", "password"),
        ("mate", "1234567890", "password"),
        ("harbour-master", "harbour-master", "password"),
        ("p\u0430ul", "slack-water", "name"),  # a Cyrillic letter among Latin ones
        ("a b", "slack-water", "name"),
        ("\u200bmate", "slack-water", "name"),
    ],
)
def test_weak_passwords_and_confusable_names_are_refused(keeper, name, password, field):
    client = signed_in(keeper)
    told = send(client, "POST", "/people", name=name, password=password, role="auditor")
    assert told.status_code == 400
    assert told.json()["errors"][0]["pointer"] == f"#/{field}"


def test_a_name_is_one_in_every_form_it_can_be_typed(keeper, planner):
    client = signed_in(keeper)
    full_width = "\uff50\uff4canner"
    told = send(client, "POST", "/people", name=full_width, password="slack-water", role="auditor")
    assert told.status_code == 409
    told = send(Client(), "POST", "/session", name=full_width, password="spring-tide")
    assert told.json()["name"] == "planner"


@pytest.fixture
def mate(keeper):
    """Somebody whose password an administrator set."""
    send(signed_in(keeper), "POST", "/people", name="mate", password="slack-water", role="planner")
    client = Client()
    send(client, "POST", "/session", name="mate", password="slack-water")
    return client


def test_a_password_that_somebody_else_set_is_good_for_changing_it_alone(mate):
    assert mate.get("/api/v1/session").json()["must_change_password"] is True
    told = mate.get("/api/v1/pools")
    assert (told.status_code, told.json()["type"]) == (403, "/problems/change-password")
    for bad in ({"current": "guess", "new": "low-water-mark"},
                {"current": "slack-water", "new": "slack-water"},
                {"current": "slack-water", "new": "short"}):  # fmt: skip
        assert send(mate, "PUT", "/session/password", **bad).status_code == 400
    told = send(mate, "PUT", "/session/password", current="slack-water", new="low-water-mark")
    assert (told.status_code, told.json()["must_change_password"]) == (200, False)
    assert mate.get("/api/v1/pools").status_code == 200


def test_changing_or_resetting_a_password_ends_what_is_open(planner, keeper):
    first, second = Client(), Client()
    for client in (first, second):
        send(client, "POST", "/session", **RIGHT)
    _, secret = make_token(actor=planner, name="t", scopes=[Scope.READ], n_days=1)
    token = Client(HTTP_AUTHORIZATION=f"Bearer {secret}")
    assert token.get("/api/v1/pools").status_code == 200
    send(first, "PUT", "/session/password", current="spring-tide", new="low-water-mark")
    assert first.get("/api/v1/pools").status_code == 200
    assert second.get("/api/v1/pools").status_code == 401
    assert token.get("/api/v1/pools").status_code == 401
    _, secret = make_token(actor=planner, name="t", scopes=[Scope.READ], n_days=1)
    set_person(actor=keeper, person_id=planner.pk, password="another-tide")
    assert first.get("/api/v1/pools").status_code == 401
    assert not ApiToken.objects.filter(user=planner, revoked_at=None).exists()


def test_a_session_is_renewed_at_sign_in_listed_and_ended(planner):
    client = Client()
    client.cookies["keel"] = "0" * 32  # one that was planted
    send(client, "POST", "/session", **RIGHT)
    assert client.cookies["keel"].value != "0" * 32
    other = Client()
    send(other, "POST", "/session", address="10.0.0.9", headers={"User-Agent": "chart"}, **RIGHT)
    told = client.get("/api/v1/sessions").json()
    assert [(one["address"], one["agent"], one["is_this"]) for one in told] == [
        ("10.0.0.9", "chart", False), ("10.0.0.1", "", True),
    ]  # fmt: skip
    keys = set(KeptSession.objects.values_list("session_key", flat=True))
    assert not any(one["id"] in key for one in told for key in keys)
    stranger = signed_in(ensure_person(name="other", password="neap-tide"))
    assert send(stranger, "DELETE", f"/sessions/{told[0]['id']}").status_code == 404
    assert send(client, "DELETE", f"/sessions/{told[0]['id']}").status_code == 204
    assert other.get("/api/v1/pools").status_code == 401


def test_a_session_ends_when_nobody_is_heard(planner, settings):
    client = Client()
    send(client, "POST", "/session", **RIGHT)
    quiet = timedelta(minutes=settings.IDLE_MINUTES)
    KeptSession.objects.update(seen_at=datetime.now(UTC) - quiet + timedelta(minutes=2))
    assert client.get("/api/v1/pools").status_code == 200  # and is heard again
    assert datetime.now(UTC) - KeptSession.objects.get().seen_at < timedelta(minutes=1)
    KeptSession.objects.update(seen_at=datetime.now(UTC) - quiet - timedelta(seconds=1))
    assert client.get("/api/v1/pools").status_code == 401


def test_the_last_administrator_stays(keeper):
    client = signed_in(keeper)
    for change in ({"role": "planner"}, {"is_active": False}):
        told = send(client, "PATCH", f"/people/{keeper.pk}", **change)
        assert (told.status_code, told.json()["type"]) == (409, "/problems/last-administrator")
    ensure_person(name="second", password="neap-tide", role=Role.ADMINISTRATOR)
    assert send(client, "PATCH", f"/people/{keeper.pk}", role="planner").status_code == 200


def test_what_lets_others_in_wants_the_password_again(keeper):
    client = signed_in(keeper)
    session = client.session
    session["confirmed_at"] = (datetime.now(UTC) - timedelta(minutes=11)).timestamp()
    session.save()
    asked = [
        ("POST", "/tokens", {"name": "t", "scopes": ["read"]}),
        ("POST", "/people", {"name": "m", "password": "slack-water", "role": "auditor"}),
        ("PATCH", f"/people/{keeper.pk}", {"role": "administrator"}),
        ("POST", "/feeds", {"name": "f", "protocol": "push"}),
        ("POST", "/session/second-factor", {}),
    ]
    for method, path, body in asked:
        told = send(client, method, path, **body)
        assert (told.status_code, told.json()["type"]) == (403, "/problems/password-wanted")
    assert send(client, "POST", "/session/confirmation", password="guess").status_code == 400
    assert send(client, "POST", "/session/confirmation", password="neap-tide").status_code == 204
    assert send(client, "POST", "/tokens", name="t", scopes=["read"]).status_code == 201


def test_no_token_makes_tokens_people_feeds_or_secrets(keeper, make_feed):
    feed = make_feed("http://127.0.0.1:1")
    scopes = [Scope.READ, Scope.WRITE, Scope.PUSH]
    _, secret = make_token(actor=keeper, name="t", scopes=scopes, n_days=1)
    token = Client(HTTP_AUTHORIZATION=f"Bearer {secret}")
    asked = [
        ("POST", "/tokens", {"name": "child", "scopes": ["read"]}),
        ("POST", "/people", {"name": "m", "password": "slack-water", "role": "auditor"}),
        ("PATCH", f"/people/{keeper.pk}", {"password": "another-tide"}),
        ("POST", "/feeds", {"name": "f", "protocol": "push"}),
        ("PATCH", f"/feeds/{feed.pk}", {"password": "x"}),
        ("PATCH", f"/feeds/{feed.pk}", {"addresses": ["http://127.0.0.1:2"]}),
        ("DELETE", f"/feeds/{feed.pk}", {}),
        ("PUT", "/session/password", {"current": "neap-tide", "new": "another-tide"}),
        ("POST", "/session/second-factor", {}),
        ("GET", "/sessions", {}),
    ]
    for method, path, body in asked:
        told = send(token, method, path, **body)
        assert (told.status_code, told.json()["type"]) == (403, "/problems/not-by-token"), path
    assert ApiToken.objects.count() == 1
    assert User.objects.count() == 1
    assert send(token, "PATCH", f"/feeds/{feed.pk}", is_paused=True).status_code == 200


def test_a_second_factor_is_set_up_asked_for_and_used_once(planner):
    client = signed_in(planner)
    begun = send(client, "POST", "/session/second-factor").json()
    assert begun["picture"].startswith("<svg")
    assert "otpauth://totp/" in begun["address"]
    generator = pyotp.TOTP(begun["secret"])
    assert send(client, "PUT", "/session/second-factor", code="000000").status_code == 401
    assert send(Client(), "POST", "/session", **RIGHT).status_code == 200  # not confirmed yet
    told = send(client, "PUT", "/session/second-factor", code=generator.now())
    assert told.json()["has_second_factor"] is True
    wanted = send(Client(), "POST", "/session", **RIGHT)
    assert (wanted.status_code, wanted.json()["type"]) == (401, "/problems/code-wanted")
    used = generator.now()
    assert send(Client(), "POST", "/session", code=used, **RIGHT).status_code == 401
    fresh = generator.at(datetime.now(UTC) + timedelta(seconds=30))
    assert send(Client(), "POST", "/session", code=fresh, **RIGHT).status_code == 200
    assert send(Client(), "POST", "/session", code=fresh, **RIGHT).status_code == 401
    assert send(client, "DELETE", "/session/second-factor").status_code == 204
    assert send(Client(), "POST", "/session", **RIGHT).status_code == 200


def test_an_administrator_may_require_a_second_factor_and_take_a_lost_one_off(planner, keeper):
    admin, client = signed_in(keeper), signed_in(planner)
    path = f"/people/{planner.pk}"
    told = send(admin, "PATCH", path, requires_second_factor=True).json()
    assert (told["requires_second_factor"], told["has_second_factor"]) == (True, False)
    refused = client.get("/api/v1/pools")
    assert (refused.status_code, refused.json()["type"]) == (403, "/problems/second-factor-wanted")
    begun = send(client, "POST", "/session/second-factor").json()
    send(client, "PUT", "/session/second-factor", code=pyotp.TOTP(begun["secret"]).now())
    assert client.get("/api/v1/pools").status_code == 200
    assert send(client, "DELETE", "/session/second-factor").status_code == 403
    told = send(admin, "PATCH", path, drops_second_factor=True).json()
    assert told["has_second_factor"] is False
    assert client.get("/api/v1/pools").status_code == 401


def test_the_first_administrator_is_held_to_the_same_rules(db):
    from keelmark.access.errors import FormError

    for name, password in (("keeper", "short"), ("k\u0435eper", "slack-water")):
        with pytest.raises(FormError):
            first_person(name=name, password=password)
    assert first_person(name="keeper", password="slack-water").membership.role == "administrator"


def test_failed_sign_ins_and_refusals_are_in_the_log_with_their_address(planner, keeper):
    guess(address="10.5.5.5", password="my secret guess")
    viewer = signed_in(ensure_person(name="v", password="neap-tide", role=Role.TENANT_VIEWER))
    confirm(viewer)
    send(viewer, "POST", "/feeds", address="10.4.4.4", name="f", protocol="push")
    told = list(AuditEntry.objects.values_list("action", "address", "actor_name", "subject_name"))
    assert ("fail sign-in", "10.5.5.5", "", "planner") in told
    assert ("refuse", "10.4.4.4", "v", "/api/v1/feeds") in told
    everything = json.dumps(list(AuditEntry.objects.values("before", "after", "subject_name")))
    assert "secret guess" not in everything


def test_a_flood_of_refusals_does_not_flood_the_log(planner):
    client = signed_in(ensure_person(name="v", password="neap-tide", role=Role.TENANT_VIEWER))
    for _ in range(50):
        client.get("/api/v1/audit")
    assert AuditEntry.objects.filter(action="refuse").count() == 30


def test_a_host_that_is_none_is_refused_in_the_manner_of_the_api(client):
    told = client.get("/api/v1/session", headers={"Host": "no host^"})
    assert told.status_code == 400
    assert told["Content-Type"] == "application/problem+json"
    assert told.json()["type"] == "/problems/wrong-form"
