import json

from keelmark.feeds.models import Feed
from keelmark.feeds.secrets import opened


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
