import json
from copy import copy, deepcopy

import pytest
import requests
import schemathesis
from django.test import Client, override_settings
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from schemathesis.generation.modes import GenerationMode

from keelmark.access.models import Role, Scope
from keelmark.access.services.people import ensure_person
from keelmark.access.services.tokens import make_token
from keelmark.bearings.packs.building import build_revision
from keelmark.config.state import PROJECT
from tests.server.conftest import NOW, bring_pool, confirm, for_a_module

pytestmark = pytest.mark.filterwarnings("ignore")
SCHEMA = schemathesis.openapi.from_dict(json.loads((PROJECT / "docs/openapi.json").read_text()))


@schemathesis.serializer("application/x-ndjson")
def ndjson(ctx, value):
    return value.encode() if isinstance(value, str) else json.dumps(value).encode()


SIGN_IN_OUT = {"session_begin", "session_end"}  # they would end the session that asks


OPEN = {"session_read", "session_begin", "session_end"}  # for who is not signed in, too
KNOWN = [(how, role) for how in ("person", "token") for role in Role]
NOBODY = ("nobody", "")
ASKED = st.lists(st.sampled_from(KNOWN), min_size=4, max_size=4, unique=True)
OPERATIONS = {
    f"{one.method.upper()} {one.path}": one
    for one in (found.ok() for found in SCHEMA.get_all_operations())  # type: ignore[union-attr]  # none is wrong
}
QUIET = settings(
    deadline=None,
    derandomize=True,
    phases=[Phase.generate],
    suppress_health_check=list(HealthCheck),
)


def cases_of(operation):
    """Requests as the schema wants them, and such as it does not."""
    modes = [GenerationMode.POSITIVE]
    if any(operation.iter_parameters()) or operation.body:
        modes.append(GenerationMode.NEGATIVE)
    return st.one_of([operation.as_strategy(generation_mode=mode) for mode in modes])


@pytest.fixture(scope="module")
def clients(django_db_setup, django_db_blocker):
    """A browser or program of everybody who asks, on an estate of one pool."""
    hashers = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    with for_a_module(django_db_blocker), override_settings(PASSWORD_HASHERS=hashers):
        bring_pool()
        build_revision(now=NOW)
        yield {asker: client_of(*asker) for asker in (*KNOWN, NOBODY)}


def client_of(how, role):
    client = Client(raise_request_exception=False)
    if how == "nobody":
        return client
    person = ensure_person(name=f"a {role}", password="neap-tide-9", role=role)
    if how == "token":
        wanted = [Scope.READ, Scope.WRITE, Scope.PUSH]
        _, secret = make_token(actor=person, name="t", scopes=wanted, n_days=1)
        client.defaults["HTTP_AUTHORIZATION"] = f"Bearer {secret}"
    else:
        client.force_login(person)
        confirm(client)
    return client


@pytest.fixture
def ask(clients, db):
    """Send a generated request as somebody: a person signed in, a token, or nobody."""

    def send(case, *, asker):
        client = copy(clients[asker])
        client.cookies = deepcopy(client.cookies)
        if case.operation.definition.raw["operationId"] in SIGN_IN_OUT:
            client = Client(raise_request_exception=False)
        told = case.as_transport_kwargs(base_url="http://127.0.0.1")
        told.pop("cookies", None)
        sent = requests.Request(**told).prepare()
        headers = {k: v for k, v in sent.headers.items() if k not in ("Authorization", "Cookie")}
        body = sent.body.encode() if isinstance(sent.body, str) else sent.body or b""
        answer = client.generic(
            str(sent.method),
            str(sent.path_url),
            body,
            content_type=headers.pop("Content-Type", "application/json"),
            headers=headers,
        )
        assert answer.status_code < 500, (asker, sent.method, sent.path_url, body, answer.content)
        if answer.status_code >= 400 and sent.path_url.startswith("/api/"):
            assert answer["Content-Type"].startswith("application/problem+json"), sent.path_url
        return answer.status_code

    return send


@pytest.fixture(autouse=True)
def _one_picture(settings):
    settings.PICTURE_IS_MADE_WHEN_ASKED = False  # it is made once for all


@pytest.mark.parametrize("name", OPERATIONS)
@settings(QUIET, max_examples=7)
@given(data=st.data())
def test_no_request_makes_the_server_fail(name, data, ask):
    ask(data.draw(cases_of(OPERATIONS[name])), asker=("person", Role.ADMINISTRATOR))


@pytest.mark.parametrize("name", OPERATIONS)
@settings(QUIET, max_examples=2)
@given(data=st.data())
def test_nobodys_request_makes_the_server_fail_or_comes_in_unasked(name, data, ask):
    case = data.draw(cases_of(OPERATIONS[name]))
    for asker in (*data.draw(ASKED), NOBODY):
        status = ask(case, asker=asker)
        operation = case.operation.definition.raw["operationId"]
        if asker == NOBODY and operation not in OPEN:
            assert status >= 400, (operation, status)
