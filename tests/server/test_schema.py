import json

import pytest
import requests
import schemathesis
from django.test import Client
from hypothesis import HealthCheck, Phase, settings

from keelmark.access.models import Role
from keelmark.access.services import ensure_person
from keelmark.config.state import PROJECT

pytestmark = pytest.mark.filterwarnings("ignore")
SCHEMA = schemathesis.openapi.from_dict(json.loads((PROJECT / "docs/openapi.json").read_text()))


@schemathesis.serializer("application/x-ndjson")
def ndjson(ctx, value):
    return value.encode() if isinstance(value, str) else json.dumps(value).encode()


SIGN_IN_OUT = {"session_begin", "session_end"}  # they would end the session that asks


@pytest.fixture
def keeper(db):
    client = Client(raise_request_exception=False)
    person = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    client.force_login(person)
    return client


@SCHEMA.parametrize()
@settings(
    max_examples=8,
    deadline=None,
    derandomize=True,
    phases=[Phase.generate],
    suppress_health_check=list(HealthCheck),
)
def test_no_request_makes_the_server_fail(case, keeper, make_pool):
    make_pool()
    client = Client(raise_request_exception=False)
    if case.operation.definition.raw["operationId"] not in SIGN_IN_OUT:
        client.cookies.update(keeper.cookies)
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
    assert answer.status_code < 500, (sent.method, sent.path_url, body, answer.content)
    if answer.status_code >= 400 and sent.path_url.startswith("/api/"):
        assert answer["Content-Type"].startswith("application/problem+json"), answer.status_code
