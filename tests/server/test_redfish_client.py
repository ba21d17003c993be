import asyncio
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime

import httpx
import pytest

from keelmark.feeds.errors import AnswerError, BusyError, SignInError, UnreachableError
from keelmark.feeds.redfish.client import _retry_after_seconds, open_reader
from keelmark.feeds.redfish.walk import collect

URL = "http://127.0.0.1:9/"
SESSION = httpx.Response(201, headers={"X-Auth-Token": "t1", "Location": "/s/1"}, json={})


class Peer:
    """A far end that answers from a script and remembers what it was asked."""

    def __init__(self, **answers):
        self.answers = {path.replace("_", "/"): list(queue) for path, queue in answers.items()}
        self.sign_in = [SESSION]
        self.asked = []

    def __call__(self, request):
        self.asked.append((request.method, request.url.path, request.headers.get("X-Auth-Token")))
        if request.method == "DELETE":
            return httpx.Response(204)
        queue = self.sign_in if request.method == "POST" else self.answers[request.url.path]
        answer = queue.pop(0) if len(queue) > 1 else queue[0]
        if isinstance(answer, Exception):
            raise answer
        return answer


def read(peer, work, *, back_off_seconds=0.001):
    async def main():
        async with open_reader(
            URL, user="u", password="p", back_off_seconds=back_off_seconds,
            transport=httpx.MockTransport(peer),
        ) as reader:  # fmt: skip
            return await work(reader), reader

    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, main()).result()


def ok(body):
    return httpx.Response(200, json=body)


def test_a_session_is_opened_used_and_closed():
    peer = Peer(_a=[ok({"Name": "a"})])
    body, _ = read(peer, lambda reader: reader.read("/a"))
    assert body == {"Name": "a"}
    assert peer.asked == [
        ("POST", "/redfish/v1/SessionService/Sessions", None),
        ("GET", "/a", "t1"),
        ("DELETE", "/s/1", "t1"),
    ]


def test_without_sessions_it_signs_every_question():
    peer = Peer(_a=[ok({})])
    peer.sign_in = [httpx.Response(404)]
    seen = []
    handler = peer.__call__

    def watching(request):
        seen.append(request.headers.get("Authorization", ""))
        return handler(request)

    read(watching, lambda reader: reader.read("/a"))
    assert seen[1].startswith("Basic ")


@pytest.mark.parametrize("status", [400, 401, 403])
def test_a_refused_sign_in_ends_at_once(status):
    peer = Peer()
    peer.sign_in = [httpx.Response(status)]
    with pytest.raises(SignInError, match="refuses the sign-in of “u”"):
        read(peer, lambda reader: reader.read("/a"))
    assert len(peer.asked) == 1


def test_an_expired_session_is_renewed_once_and_the_question_asked_again():
    peer = Peer(_a=[httpx.Response(401), ok({"Name": "a"})])
    second = httpx.Response(201, headers={"X-Auth-Token": "t2"}, json={})
    peer.sign_in = [SESSION, second]
    body, _ = read(peer, lambda reader: reader.read("/a"))
    assert body == {"Name": "a"}
    assert [token for _, path, token in peer.asked if path == "/a"] == ["t1", "t2"]


def test_a_session_that_is_never_good_ends_in_words():
    peer = Peer(_a=[httpx.Response(401)])
    with pytest.raises(SignInError):
        read(peer, lambda reader: reader.read("/a"))


@pytest.mark.parametrize("status", [408, 429, 500, 502, 503, 504])
def test_passing_statuses_are_tried_again_and_lasting_ones_told(status):
    passing = Peer(_a=[httpx.Response(status), ok({"Name": "a"})])
    assert read(passing, lambda reader: reader.read("/a"))[0] == {"Name": "a"}
    lasting = Peer(_a=[httpx.Response(status)])
    with pytest.raises(BusyError, match=f"answered {status} at each of 4 tries"):
        read(lasting, lambda reader: reader.read("/a"))


def test_other_refusals_are_told_at_once_with_the_arrays_own_words():
    body = {"error": {"message": "No such shelf."}}
    peer = Peer(_a=[httpx.Response(404, json=body)])
    with pytest.raises(AnswerError, match=r"status 404, “No such shelf\.”"):
        read(peer, lambda reader: reader.read("/a"))
    assert sum(path == "/a" for _, path, _ in peer.asked) == 1


@pytest.mark.parametrize(
    ("fault", "told"),
    [
        (httpx.ConnectError("x"), "the connection is refused"),
        (httpx.ConnectTimeout("x"), "no connection within 5 s"),
        (httpx.ReadTimeout("x"), "no answer in time"),
        (httpx.RemoteProtocolError("x"), "the connection broke off"),
    ],
)
def test_a_broken_line_is_tried_again_and_told(fault, told):
    passing = Peer(_a=[fault, ok({"Name": "a"})])
    assert read(passing, lambda reader: reader.read("/a"))[0] == {"Name": "a"}
    with pytest.raises(UnreachableError, match=told):
        read(Peer(_a=[fault]), lambda reader: reader.read("/a"))


@pytest.mark.parametrize("body", [b"[1]", b'"x"', b"{", b"", b"\xff\xfe"])
def test_what_is_no_json_object_is_asked_for_again(body):
    peer = Peer(_a=[httpx.Response(200, content=body), ok({"Name": "a"})])
    assert read(peer, lambda reader: reader.read("/a"))[0] == {"Name": "a"}


@pytest.mark.parametrize(("header", "seconds"), [("7", 7), ("", 0), ("soon", 0)])
def test_retry_after_in_seconds_is_kept_to(header, seconds):
    answer = httpx.Response(503, headers={"Retry-After": header})
    assert _retry_after_seconds(answer) == seconds


@pytest.mark.parametrize(("ahead", "least", "most"), [(60, 50, 61), (-60, 0, 0)])
def test_retry_after_as_a_date_is_kept_to(ahead, least, most):
    date = format_datetime(datetime.now(UTC) + timedelta(seconds=ahead), usegmt=True)
    answer = httpx.Response(503, headers={"Retry-After": date})
    assert least <= _retry_after_seconds(answer) <= most


def test_members_are_read_over_pages_and_in_full():
    peer = Peer(
        _c=[ok({"Members": [{"@odata.id": "/m1"}], "Members@odata.nextLink": "/c2"})],
        _c2=[ok({"Members": [{"@odata.id": "/m2", "Name": "two"}, "junk"]})],
        _m1=[ok({"@odata.id": "/m1", "Name": "one"})],
    )
    members, _ = read(peer, lambda reader: reader.members("/c", is_expanding=False))
    assert [member["Name"] for member in members] == ["one", "two"]


def test_a_collection_without_members_is_told():
    peer = Peer(_c=[ok({"Members": "none"})])
    with pytest.raises(AnswerError, match="no Members"):
        read(peer, lambda reader: reader.members("/c", is_expanding=False))


@pytest.mark.parametrize(
    ("minutes", "told"),
    [(90, "90 min ahead of ours"), (-90, "90 min behind ours"), (2, None)],
    ids=["ahead", "behind", "within"],
)
def test_a_clock_that_is_off_is_told_once(minutes, told):
    off = datetime.now(UTC) + timedelta(minutes=minutes, seconds=1 if minutes > 0 else -1)
    date = format_datetime(off, usegmt=True)
    answer = httpx.Response(200, json={}, headers={"Date": date})
    peer = Peer(_a=[answer], _b=[answer])

    async def both(reader):
        await reader.read("/a")
        await reader.read("/b")

    _, reader = read(peer, both)
    assert reader.warnings == [] if told is None else told in reader.warnings[0]
    assert len(reader.warnings) <= 1


def test_no_more_than_eight_questions_are_under_way_at_once():
    under_way, most = 0, 0

    async def answer(request):
        nonlocal under_way, most
        under_way += 1
        most = max(most, under_way)
        await asyncio.sleep(0.002)
        under_way -= 1
        return SESSION if request.method == "POST" else ok({"@odata.id": request.url.path})

    async def many(reader):
        return await asyncio.gather(*(reader.read(f"/x{n}") for n in range(60)))

    bodies, _ = read(answer, many)
    assert len(bodies) == 60
    assert most <= 8


def test_an_array_at_the_older_place_without_pools_is_told_by_its_drives():
    def links(*paths):
        return [{"@odata.id": path} for path in paths]

    def collection(*paths):
        return ok({"Members": links(*paths), "Members@odata.count": len(paths)})

    drives = {
        f"/d/{n}": [ok({"@odata.id": f"/d/{n}", "Name": f"bay {n}", "SerialNumber": f"D{n}",
                        "CapacityBytes": 4000, "MediaType": "HDD",
                        "HotspareType": "Global" if n == 4 else "None"})]
        for n in range(6)
    }  # fmt: skip
    volume = {"@odata.id": "/v/1", "Name": "tides", "CapacityBytes": 7000, "RAIDType": "RAID6",
              "Links": {"Drives": links("/d/0", "/d/1", "/d/2", "/d/3")}}  # fmt: skip
    storage = {"@odata.id": "/st/1", "Name": "brent-1", "Drives": links(*drives),
               "Volumes": {"@odata.id": "/v"},
               "Identifiers": [{"DurableNameFormat": "UUID", "DurableName": "b-1"}]}  # fmt: skip
    peer = Peer()
    peer.answers = drives | {
        "/redfish/v1/": [ok({"Systems": {"@odata.id": "/sys"},
                             "Links": {"Sessions": {"@odata.id": "/s"}}})],
        "/sys": [collection("/sys/1")],
        "/sys/1": [ok({"@odata.id": "/sys/1", "Storage": {"@odata.id": "/st"}})],
        "/st": [collection("/st/1")],
        "/st/1": [ok(storage)],
        "/v": [collection("/v/1")],
        "/v/1": [ok(volume)],
    }  # fmt: skip

    async def work():
        return await collect(
            URL, user="u", password="p", progress=lambda _step, _n: None,
            back_off_seconds=0.001, transport=httpx.MockTransport(peer),
        )  # fmt: skip

    with ThreadPoolExecutor(1) as pool:
        told = pool.submit(asyncio.run, work()).result()
    by_name = {getattr(document, "name", ""): document for document in told.documents}
    implied = by_name["RAID6 of 4 from bay 0"]
    assert (implied.usable_bytes, implied.used_bytes) == (8000, 7000)
    assert by_name["tides"].pool_uid == implied.uid
    roles = {name: by_name[name].role for name in ("bay 0", "bay 4", "bay 5")}
    assert roles == {"bay 0": "pooled", "bay 4": "spare", "bay 5": "unpooled"}
    assert told.warnings == []
