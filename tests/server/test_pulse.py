"""Events that say when something moved: one look for all, none where nothing moves."""

import asyncio
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pytest
from django.db import DatabaseError

from keelmark.bearings.packs.building import build_revision
from keelmark.compliance.api.pulse import PULSE, Pulse
from keelmark.compliance.selectors.moved import moved
from keelmark.feeds.models import Feed
from tests.server.conftest import NOW

EVERY = 0.01


def awaited(work):
    """In a thread of its own: this one may hold the browser's event loop."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, work).result()


async def heard(pulse, *, for_seconds=0.3):
    return [beat async for beat in pulse.beats(for_seconds=for_seconds)]


class Looked:
    """Tells one state after the other, the last for good."""

    def __init__(self, *states):
        self.states, self.n = list(states), 0

    def __call__(self):
        self.n += 1
        told = self.states.pop(0) if len(self.states) > 1 else self.states[0]
        if isinstance(told, Exception):
            raise told
        return told


@pytest.fixture(autouse=True)
def _no_database(monkeypatch):
    monkeypatch.setattr("keelmark.compliance.api.pulse.connection.close", lambda: None)


@pytest.mark.parametrize(
    ("states", "moves"),
    [
        ([{"lanes": "a"}], []),
        ([{"lanes": "a"}, {"lanes": "b"}], ["lanes"]),
        ([{"lanes": "a", "changes": "1"}, {"lanes": "b", "changes": "2"}], ["changes", "lanes"]),
        ([{"lanes": "a"}, {"lanes": "b"}, {"lanes": "a"}], ["lanes", "lanes"]),
        ([{"lanes": "a"}, DatabaseError("away"), {"lanes": "b"}], ["lanes"]),
    ],
)
def test_who_listens_hears_what_moved_and_nothing_else(states, moves):
    beats = awaited(heard(Pulse(Looked(*states), every_seconds=EVERY)))
    assert beats[0].startswith(b"retry:")
    assert beats[1:] == [f"event: moved\ndata: {part}\n\n".encode() for part in moves]


def test_one_look_is_for_all_who_listen():
    look = Looked({"lanes": "a"})
    pulse = Pulse(look, every_seconds=0.05)

    async def all_of_them():
        return await asyncio.gather(*(heard(pulse) for _ in range(20)))

    assert len(awaited(all_of_them())) == 20
    assert look.n <= 10
    assert pulse.n_listeners == 0


def test_a_listener_is_told_that_nothing_moved_so_that_nobody_hangs_up(monkeypatch):
    monkeypatch.setattr("keelmark.compliance.api.pulse.QUIET_SECONDS", 0.05)
    beats = awaited(heard(Pulse(Looked({"lanes": "a"}), every_seconds=EVERY)))
    assert b": nothing moved\n\n" in beats


def test_a_collection_moves_the_lanes(db, make_feed):
    feed = make_feed("http://127.0.0.1:1")
    before = moved()
    Feed.objects.filter(pk=feed.pk).update(last_good_at=NOW + timedelta(seconds=1))
    after = moved()
    assert before["lanes"] != after["lanes"]
    assert before["changes"] == after["changes"]


def test_a_revision_moves_the_lanes_too(make_pool):
    build_revision(now=NOW)
    before = moved()
    make_pool()
    build_revision(now=NOW)
    assert before["lanes"] != moved()["lanes"]


def test_too_many_listeners_ask_now_and_then_instead(api, monkeypatch):
    asked = {"headers": {"Accept": "text/event-stream"}}
    answer = api.client.get("/api/v1/compliance/pulse", **asked)
    assert (answer.status_code, answer["Content-Type"]) == (200, "text/event-stream")
    monkeypatch.setattr(PULSE, "n_listeners", 10_000)
    assert api.client.get("/api/v1/compliance/pulse", **asked).status_code == 429
