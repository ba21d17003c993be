import json

import pytest

from keelmark.estate.models import Protocol
from keelmark.estate.services.delivery import open_delivery
from keelmark.estate.services.findings import look_for_findings
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Feed
from keelmark.feeds.secrets import opened
from keelmark.feeds.services.feeds import ensure_feed
from tests.server.conftest import NOW
from tests.server.test_joining import NAA, array, pool, volume


def test_a_feed_never_shows_its_password(api, make_feed):
    make_feed("http://127.0.0.1:1", password="low-water")
    answer = api.get("/feeds")
    assert answer.json()[0]["user"] == "planner-ro"
    assert "low-water" not in json.dumps(answer.json())
    assert b"low-water" not in bytes(Feed.objects.get().password_encrypted)


def test_a_password_can_be_changed_and_is_kept_sealed(api, make_feed):
    feed = make_feed("http://127.0.0.1:1")
    answer = api.send("PATCH", f"/feeds/{feed.pk}", password="ebb")
    assert answer.status_code == 200
    assert "password" not in answer.json()
    assert opened(Feed.objects.get().password_encrypted) == "ebb"


def test_asking_twice_gives_the_same_run(api, make_feed):
    feed = make_feed("http://127.0.0.1:1")
    one, two = (api.send("POST", f"/feeds/{feed.pk}/collect") for _ in range(2))
    assert (one.status_code, two.status_code) == (202, 202)
    assert one.json()["id"] == two.json()["id"]
    assert api.get(f"/runs/{one.json()['id']}").json()["state"] == "queued"


def test_a_paused_feed_is_not_collected(api, make_feed):
    feed = make_feed("http://127.0.0.1:1")
    api.send("PATCH", f"/feeds/{feed.pk}", is_paused=True)
    answer = api.send("POST", f"/feeds/{feed.pk}/collect")
    assert answer.status_code == 409
    assert "paused" in answer.json()["detail"]
    assert api.get("/feeds").json()[0]["state"] == "paused"


def test_runs_can_be_asked_for_by_feed(api, make_feed):
    one = make_feed("http://127.0.0.1:1", name="heron-1")
    two = make_feed("http://127.0.0.1:1", name="heron-2")
    for feed in (one, two):
        api.send("POST", f"/feeds/{feed.pk}/collect")
    runs = api.get("/runs", feed_id=two.pk).json()["results"]
    assert [run["source"] for run in runs] == ["heron-2"]


def test_a_feed_that_is_not_there_is_a_404_problem(api, db):
    assert api.send("POST", "/feeds/1/collect").json()["type"] == "/problems/not-found"


NEW = {"name": "heron-9", "protocol": "redfish", "addresses": ["https://127.0.0.1:1"]}


def test_a_feed_is_added_as_it_was_asked_for(api, db):
    made = api.send("POST", "/feeds", **NEW, user="planner-ro", password="ebb", every_minutes=7)
    assert made.status_code == 201
    told = made.json()
    assert (told["name"], told["every_minutes"], told["has_password"]) == ("heron-9", 7, True)
    assert (told["state"], told["covers"], told["live_run"]) == ("late", {}, None)
    assert opened(Feed.objects.get().password_encrypted) == "ebb"


@pytest.mark.parametrize(
    ("change", "status", "pointer"),
    [
        ({"addresses": []}, 422, "#/addresses"),
        ({"addresses": ["ftp://127.0.0.1/"]}, 422, "#/addresses"),
        ({"addresses": ["http://169.254.169.254/"]}, 422, "#/addresses"),
        ({"addresses": ["http://no.such.host.invalid/"]}, 422, "#/addresses"),
        ({"ca_certificate": "nothing"}, 422, "#/ca_certificate"),
        ({"ca_certificate": "-----BEGIN CERTIFICATE-----\nµ"}, 422, "#/ca_certificate"),
        ({"every_minutes": 0}, 400, "#/every_minutes"),
        ({"protocol": "carrier pigeon"}, 400, "#/protocol"),
        ({"name": "known"}, 422, "#/name"),
    ],
)
def test_a_feed_that_cannot_be_is_refused_with_its_field(api, make_feed, change, status, pointer):
    make_feed("http://127.0.0.1:1", name="known")
    refused = api.send("POST", "/feeds", **(NEW | change))
    assert refused.status_code == status
    assert refused.json()["errors"][0]["pointer"] == pointer
    assert Feed.objects.count() == 1


def test_a_feed_cannot_take_anothers_name_or_a_forbidden_address(api, make_feed):
    make_feed("http://127.0.0.1:1", name="one")
    two = make_feed("http://127.0.0.1:1", name="two")
    for change in ({"name": "one"}, {"addresses": ["http://0.0.0.0/"]}):
        assert api.send("PATCH", f"/feeds/{two.pk}", **change).status_code == 422
    two.refresh_from_db()
    assert (two.name, two.addresses) == ("two", ["http://127.0.0.1:1"])


def test_coverage_counts_what_a_feed_tells_of_and_the_estate_counts_each_thing_once(api, db):
    documents = [array(), pool(), volume()]
    for name in ("one", "two"):
        feed = ensure_feed(name=name, protocol=Protocol.PUSH, addresses=[])
        into = Imported(delivery=open_delivery(feed.source))
        import_documents(documents if name == "one" else documents[:2], into=into)
    covers = {feed["name"]: feed["covers"] for feed in api.get("/feeds").json()}
    assert covers == {
        "one": {"array": 1, "pool": 1, "volume": 1}, "two": {"array": 1, "pool": 1},
    }  # fmt: skip
    counted = {row["kind"]: row["n"] for row in api.get("/kinds").json()}
    assert (counted["array"], counted["pool"], counted["volume"], counted["vm"]) == (1, 1, 1, 0)


def test_a_list_of_feeds_takes_the_same_queries_for_one_and_many(
    api, make_feed, django_assert_max_num_queries
):
    for number in range(6):
        make_feed("http://127.0.0.1:1", name=f"heron-{number}")
    with django_assert_max_num_queries(8):
        assert len(api.get("/feeds").json()) == 6


def test_findings_say_why_and_lead_to_the_pool(api, db):
    import_documents([array(), pool(), volume(mapped_to=["wwn.nobody"])], into=Imported())
    look_for_findings(at=NOW)
    told = api.get("/findings").json()["results"][0]
    assert (told["kind"], told["entity"]["uid"], told["site_name"]) == (
        "unmanaged-host", NAA, "Skerry",
    )  # fmt: skip
    assert "no VM explains" in told["why"]
    assert api.get(f"/pools/{told['pool_id']}").status_code == 200


def test_a_chain_is_told_by_name_or_by_uid(api, db):
    import_documents([array(), pool(), volume()], into=Imported())
    for name in ("seabed-1", NAA):
        told = api.get("/trace", name=name).json()
        assert (told["kind"], told["below"][0]["kind"]) == ("volume", "pool")
    assert api.get("/trace", name="nowhere").status_code == 404
