"""Door 14: the server itself: slow and large requests, headers, cookies over TLS."""

import os
import socket
import subprocess
import sys
import time
from contextlib import contextmanager, suppress

import httpx
import pytest
from starlette.requests import Request
from starlette.responses import PlainTextResponse

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person
from keelmark.cli.database import free_port
from keelmark.config import guard
from keelmark.config.guard import Guard
from keelmark.config.state import PROJECT
from tests.certificates import make_authority
from tests.conftest import running

SERVER = "keelmark.config.server"


async def ECHO(scope, receive, send):  # noqa: N802  # an application
    body = await Request(scope, receive).body()
    await PlainTextResponse(str(len(body)))(scope, receive, send)


def test_a_body_over_its_limit_is_refused_by_its_length_and_as_it_comes():
    with running(Guard(ECHO)) as url:
        small = httpx.post(f"{url}/api/x", content=b"0" * 1000, trust_env=False)
        assert small.text == "1000"
        told = httpx.post(f"{url}/api/x", content=b"0" * (3 << 20), trust_env=False)
        assert (told.status_code, told.json()["type"]) == (413, "/problems/too-long")
        pieces = (b"0" * (1 << 20) for _ in range(3))
        told = httpx.post(f"{url}/api/x", content=pieces, trust_env=False)
        assert told.status_code == 413
        assert told.headers["X-Content-Type-Options"] == "nosniff"


@pytest.mark.django_db(transaction=True)
def test_large_bodies_are_for_whom_we_know():
    with running(Guard(ECHO)) as url:
        body = b"0" * (3 << 20)
        for headers in ({}, {"Cookie": "keel=made-up"}, {"Authorization": "Bearer keel_no"}):
            path = f"{url}/api/v1/feeds/1/documents"
            told = httpx.post(path, content=body, headers=headers, trust_env=False)
            assert told.status_code == 413
        from keelmark.access.models import Scope
        from keelmark.access.services.tokens import make_token

        person = ensure_person(name="p", password="neap-tide", role=Role.PLANNER)
        _, secret = make_token(actor=person, name="t", scopes=[Scope.PUSH], n_days=1)
        headers = {"Authorization": f"Bearer {secret}"}
        told = httpx.post(path, content=body, headers=headers, trust_env=False)
        assert told.text == str(len(body))


def test_a_body_that_does_not_come_is_given_up():
    with running(Guard(ECHO, idle_seconds=0.2)) as url:
        with talking(url) as peer:
            peer.sendall(b"POST /x HTTP/1.1\r\nHost: a\r\nContent-Length: 9\r\n\r\nhalf")
            answer = peer.recv(4096)
        assert answer.startswith(b"HTTP/1.1 408")
        assert b"did not come in time" in answer


@contextmanager
def talking(url):
    host, port = url.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), timeout=10) as peer:
        yield peer


@pytest.mark.parametrize("sent", [b"", b"GET / HTTP/1.1\r\n", b"GET / HTTP/1.1\r\nX-A: b\r\n"])
def test_a_connection_that_does_not_come_to_the_point_is_closed(monkeypatch, sent):
    monkeypatch.setattr(f"{SERVER}.HEADER_SECONDS", 0.3)
    with running(ECHO, http=f"{SERVER}:PatientProtocol") as url, talking(url) as peer:
        peer.sendall(sent)
        with suppress(ConnectionResetError):
            assert peer.recv(4096) == b""


def test_headers_without_end_are_cut_off():
    with running(ECHO, http=f"{SERVER}:PatientProtocol") as url, talking(url) as peer:
        peer.sendall(b"GET / HTTP/1.1\r\n")
        with pytest.raises(OSError, match=r"reset|pipe|abort"):
            peer.sendall(b"".join(b"X-%d: " % n + b"a" * 100 + b"\r\n" for n in range(500_000)))


def test_more_connections_than_there_is_room_for_are_closed(monkeypatch):
    monkeypatch.setattr(f"{SERVER}.MAX_CONNECTIONS", 3)
    with running(ECHO, http=f"{SERVER}:PatientProtocol") as url:
        kept = [socket.create_connection(address_of(url), timeout=5) for _ in range(3)]
        time.sleep(0.2)
        with talking(url) as peer, suppress(ConnectionResetError):
            assert peer.recv(10) == b""
        for one in kept:
            one.close()
        until = time.monotonic() + 5
        while time.monotonic() < until:
            try:
                assert httpx.get(f"{url}/x", trust_env=False).text == "0"
                break
            except httpx.HTTPError:
                time.sleep(0.1)
        else:
            pytest.fail("nobody was let in again")


def address_of(url):
    host, port = url.removeprefix("http://").split(":")
    return host, int(port)


def test_a_kept_connection_goes_on_after_its_first_answer():
    with (
        running(Guard(ECHO), http=f"{SERVER}:PatientProtocol") as url,
        httpx.Client(trust_env=False) as http,
    ):
        for n in (1, 2, 3):
            assert http.post(f"{url}/x", content=b"0" * n).text == str(n)


@pytest.fixture(scope="module")
def served(tmp_path_factory):
    """The whole application over TLS, as a process of its own."""
    authority, tls = make_authority(tmp_path_factory.mktemp("tls"))
    # Two processes of tests may serve at once: each has its own hundred ports.
    first = 8500 + 100 * int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
    port = free_port(first=first, last=first + 99)
    environment = {**os.environ, "KEEL_HTTPS": "1"}
    arguments = ["-m", "uvicorn", "keelmark.config.asgi:application", "--port", str(port),
                 "--http", f"{SERVER}:PatientProtocol", "--lifespan", "off",
                 "--ssl-certfile", tls["ssl_certfile"], "--ssl-keyfile", tls["ssl_keyfile"],
                 "--log-level", "error"]  # fmt: skip
    process = subprocess.Popen([sys.executable, *arguments], cwd=PROJECT, env=environment)
    import ssl

    trust = ssl.create_default_context(cadata=authority)
    with httpx.Client(base_url=f"https://127.0.0.1:{port}", verify=trust, trust_env=False) as http:
        until = time.monotonic() + 180
        while time.monotonic() < until:
            try:
                http.get("/nothing")
                break
            except httpx.HTTPError:
                time.sleep(0.1)
        yield http
    process.terminate()
    process.wait(10)


@pytest.mark.parametrize("path", ["/", "/_app/version.json", "/api/v1/session", "/static/x"])
def test_every_answer_carries_the_headers(served, path):
    told = served.get(path)
    assert told.status_code < 500
    for name, wanted in {**guard.HEADERS, "Strict-Transport-Security": "max-age="}.items():
        assert told.headers[name].startswith(wanted), name
    assert "frame-ancestors 'none'" in told.headers["Content-Security-Policy"]
    assert (told.headers.get("Cache-Control") == "no-store") == path.startswith("/api/")


def test_cookies_are_bound_to_the_host_over_tls(served):
    told = served.get("/api/v1/session")
    cookie = told.headers["Set-Cookie"]
    assert cookie.startswith("__Host-csrftoken=")
    assert "Secure" in cookie
    assert "Path=/" in cookie
    assert "Domain" not in cookie


def test_the_application_itself_bounds_what_is_sent(served):
    told = served.post("/api/v1/session", content=b"0" * (3 << 20))
    assert (told.status_code, told.json()["type"]) == (413, "/problems/too-long")
