import pytest
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver

OPEN_ROUTES = {"session", "page", "openapi"}


def routes(resolver: URLResolver | None = None, prefix: str = ""):
    for pattern in (resolver or get_resolver()).url_patterns:
        path = prefix + str(pattern.pattern)
        if isinstance(pattern, URLPattern):
            yield path, pattern.name
        else:
            yield from routes(pattern, path)


def test_signing_in_and_out(planner):
    client = Client()
    assert client.get("/api/v1/session").json() == {"name": None, "is_signed_in": False}
    body = {"name": "planner", "password": "spring-tide"}
    answer = client.post("/api/v1/session", body, content_type="application/json")
    assert answer.json() == {"name": "planner", "is_signed_in": True}
    assert client.get("/api/v1/pools").status_code == 200
    assert client.delete("/api/v1/session").status_code == 204
    assert client.get("/api/v1/pools").status_code == 403


def test_a_wrong_password_is_refused_without_saying_which_was_wrong(planner):
    for name in ("planner", "nobody"):
        answer = Client().post(
            "/api/v1/session", {"name": name, "password": "neap"}, content_type="application/json"
        )
        assert answer.status_code == 401
        assert answer["Content-Type"] == "application/problem+json"
        assert answer.json()["type"] == "/problems/sign-in-refused"


def test_signing_in_needs_the_csrf_token(planner):
    client = Client(enforce_csrf_checks=True)
    body = {"name": "planner", "password": "spring-tide"}
    assert client.post("/api/v1/session", body, "application/json").status_code == 403


def test_no_route_answers_a_stranger(db):
    walked = set()
    for path, name in routes():
        if name in OPEN_ROUTES or not path.startswith("api/"):
            continue
        plain = path.removeprefix("api/v1/^").removesuffix("$").removesuffix("\\Z")
        plain = f"api/v1/{plain.removeprefix('api/v1/')}"
        for group in ("(?P<pool_id>\\d+)", "(?P<pk>[^/.]+)"):
            plain = plain.replace(group, "1")
        assert "(" not in plain, plain
        answer = Client().get(f"/{plain}")
        assert answer.status_code in (403, 405), plain
        walked.add(plain)
    assert len(walked) >= 11


@pytest.mark.parametrize("path", ["/pools", "/feeds", "/runs"])
def test_a_person_put_out_of_service_is_turned_away(api, planner, path):
    planner.is_active = False
    planner.save()
    assert api.get(path).status_code == 403
