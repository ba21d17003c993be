"""Door 11: far ends that lead elsewhere, never end, unpack to too much, or say one thing wrong."""

import asyncio
import gzip
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest
from starlette.applications import Starlette
from starlette.responses import PlainTextResponse, Response, StreamingResponse
from starlette.routing import Route

from keelmark.estate.documents import CountersDocument, ReadingsDocument
from keelmark.estate.models import Protocol
from keelmark.feeds import bounded
from keelmark.feeds.collectors import collect
from keelmark.feeds.errors import AddressError, AnswerError, OptionsError, UnreachableError
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.metrics.scrape import rules_of
from keelmark.feeds.objects.listing import collect_buckets
from tests.conftest import running
from tests.server.test_redfish_client import SESSION, Peer, ok, read

RULES = [
    {"metric": "reads_total", "fills": "read_ops", "label": "uid"},
    {"metric": "used_bytes", "fills": "used_bytes", "label": "uid"},
]


def quiet(*_args):
    """Nobody watches."""


def scraped(app, **changes):
    with running(app) as url:
        far_end = FarEnd(addresses=(f"{url}/metrics",), options={"rules": RULES}, **changes)
        return collect(Protocol.OPENMETRICS, far_end, progress=quiet)


def serving(answer) -> Starlette:
    async def told(request):
        return answer() if callable(answer) else answer

    return Starlette(routes=[Route("/metrics", told), Route("/{path:path}", told)])


@pytest.mark.parametrize(
    "link",
    [
        "http://10.9.9.9/redfish/v1/Systems", "//10.9.9.9/x", "https://127.0.0.1:9/x",
        "http://127.0.0.1:10/x", "http://127.0.0.1:9@10.9.9.9/x", "http://[::1",
    ],
)  # fmt: skip
def test_a_link_that_leaves_the_array_is_not_followed(link):
    peer = Peer(_a=[ok({"Members": [{"@odata.id": link}]})])
    with pytest.raises(AnswerError, match="another host"):
        read(peer, lambda reader: reader.members("/a", is_expanding=False))
    assert {path for method, path, _ in peer.asked if method == "GET"} == {"/a"}


def test_a_session_that_lies_elsewhere_is_left_alone():
    peer = Peer(_a=[ok({})])
    away = {"X-Auth-Token": "t1", "Location": "http://10.9.9.9/s/1"}
    peer.sign_in = [httpx.Response(201, headers=away, json={})]
    read(peer, lambda reader: reader.read("/a"))
    assert [method for method, _, _ in peer.asked] == ["POST", "GET"]


def test_the_next_page_stays_at_the_array():
    peer = Peer(_a=[ok({"Members": [], "Members@odata.nextLink": "http://10.9.9.9/b"})])
    with pytest.raises(AnswerError, match="another host"):
        read(peer, lambda reader: reader.members("/a", is_expanding=False))


def test_an_object_store_that_leads_elsewhere_when_it_is_connected_to_is_refused(settings):
    asked = []

    async def note(request):
        asked.append(request.headers.get("authorization"))
        return PlainTextResponse("")

    with running(Starlette(routes=[Route("/{path:path}", note)])) as url:
        settings.FEED_NETWORKS = ["10.0.0.0/8"]  # as if the name had led there when it was checked
        far_end = FarEnd(addresses=(url,), user="u", password="p", is_guarded=True)
        with pytest.raises(AddressError, match=r"led to 127\.0\.0\.1"):
            collect_buckets(far_end, quiet)
    assert asked == []


def bomb() -> bytes:
    return gzip.compress(b"0" * (4 << 20))


@pytest.mark.parametrize("protocol", [Protocol.REDFISH, Protocol.OPENMETRICS, Protocol.S3])
def test_an_answer_that_unpacks_to_too_much_is_refused(protocol, monkeypatch):
    monkeypatch.setattr(bounded, "MAX_RESOURCE_BYTES", 1 << 20)
    monkeypatch.setattr("keelmark.feeds.metrics.scrape.MAX_BODY_BYTES", 1 << 20)
    packed = Response(bomb(), headers={"Content-Encoding": "gzip"}, media_type="text/plain")
    with running(serving(lambda: packed)) as url:
        address = f"{url}/metrics" if protocol == Protocol.OPENMETRICS else url
        far_end = FarEnd(addresses=(address,), user="u", password="p", options={"rules": RULES},
                         back_off_seconds=0.01)  # fmt: skip
        with pytest.raises(AnswerError, match="it is over 1 MiB"):
            collect(protocol, far_end, progress=quiet)


async def trickle():
    while True:
        yield b"# a comment\n"
        await asyncio.sleep(0.02)


@pytest.mark.parametrize("protocol", [Protocol.REDFISH, Protocol.OPENMETRICS, Protocol.S3])
def test_an_answer_that_never_ends_is_left(protocol, monkeypatch):
    monkeypatch.setattr(bounded, "ANSWER_SECONDS", 0.3)
    with running(serving(lambda: StreamingResponse(trickle(), media_type="text/plain"))) as url:
        address = f"{url}/metrics" if protocol == Protocol.OPENMETRICS else url
        far_end = FarEnd(addresses=(address,), user="u", password="p", options={"rules": RULES},
                         back_off_seconds=0.01)  # fmt: skip
        with pytest.raises(UnreachableError, match="no whole answer"):
            collect(protocol, far_end, progress=quiet)


@pytest.mark.parametrize("kind", ["text/plain", "application/openmetrics-text; version=1.0.0"])
def test_one_bad_sample_leaves_out_that_sample(kind):
    text = (
        'reads_total{uid="uuid.a"} 5\n'
        'reads_total{uid="uuid.b" 5\n'
        'reads_total{uid="uuid.c"} five\n'
        'used_bytes{uid="uuid.a"} 7\n'
        'used_bytes{uid="uuid.d"} 1e300\n'
        'used_bytes{uid="uuid.e"} +Inf\n'
        'used_bytes{uid="uuid.f"} NaN\n'
        'used_bytes{uid="no uid"} 1\n'
        "# EOF\n"
    )
    told = scraped(serving(lambda: Response(text, headers={"Content-Type": kind})))
    counters = [d.uid for d in told.documents if isinstance(d, CountersDocument)]
    readings = [d.uid for d in told.documents if isinstance(d, ReadingsDocument)]
    assert (counters, readings) == (["uuid.a"], ["uuid.a"])
    assert told.warnings[0] == "2 lines left out that are no samples: 2, 3."
    assert "4 samples of used_bytes left out" in told.warnings[1]


@pytest.mark.parametrize("rule", [7, {}, {"metric": ""}, {"metric": "x", "fills": "nothing"}])
def test_a_rule_that_cannot_be_used_is_refused_in_words(rule):
    with pytest.raises(OptionsError, match="rules"):
        rules_of([rule])


@pytest.mark.parametrize(
    ("protocol", "options", "told"),
    [
        ("s3", {"region": "a b"}, "region"),
        ("openmetrics", {"rules": [{"metric": "x", "fills": "read_ops", "scale": 1e99}]}, "scale"),
        ("openmetrics", {"rules": [{"fills": "read_ops"}]}, "metric"),
        ("file", {"folder": "../x"}, "folder"),
        ("push", {"of_others": ["everything"]}, "of_others"),
        ("redfish", {"verify": False}, "verify"),
    ],
)
def test_options_are_held_to_their_form(api, protocol, options, told):
    addresses = [] if protocol in ("file", "push") else ["http://127.0.0.1:9"]
    body = {"name": "x", "protocol": protocol, "addresses": addresses, "options": options}
    refused = api.send("POST", "/feeds", **body)
    assert refused.status_code == 422, refused.content
    assert refused.json()["errors"][0]["pointer"] == "#/options"
    assert told in refused.json()["detail"]


def test_a_reader_is_let_in_by_its_own_sign_in_alone():
    peer = Peer(_a=[ok({})])
    peer.sign_in = [SESSION]
    with ThreadPoolExecutor(1):
        body, _ = read(peer, lambda reader: reader.read("/a"))
    assert body == {}
