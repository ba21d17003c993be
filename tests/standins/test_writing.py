"""What is written at an array is written once, on what was seen, and found again after a crash."""

import pytest

from keelmark.feeds.changes.allowed import DELETION, ENDS, NAME, SIZE, VOLUME
from keelmark.feeds.changes.writers import Sending, writer_of
from keelmark.feeds.errors import (
    BusyError,
    CollectError,
    NotAsSeenError,
    NotSettableError,
    RefusedError,
)
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.redfish.session import names_it
from standins.arrays import EXTENT_BYTES
from tests.conftest import PASSWORD, USER, WRITER

GIB = 1024**3
WANTED = {"name": "sonar-new-v1", "size_bytes": 10 * GIB, "thickness": "thin"}


@pytest.fixture
def far_end(heron):
    return FarEnd(addresses=(heron.url,), user=WRITER[0], password=WRITER[1], back_off_seconds=0.01)


class Desk:
    """Sends as the room of changes does, and keeps what a crash would leave."""

    def __init__(self, far_end, heron) -> None:
        self.far_end, self.ground = far_end, heron.service.tree.ground
        self.kept: dict[str, object] = {}

    def keep(self, progress) -> None:
        self.kept = progress

    def send(self, what, *, uid, was, wanted, far_end=None):
        writer, end = writer_of(what), far_end or self.far_end
        place = writer.find(end, [uid]).get(uid, "")
        return writer.send(
            end,
            Sending(
                place=place, uids=frozenset([uid]), was=was, wanted=wanted,
                progress=dict(self.kept), keep=self.keep,
            ),
        )  # fmt: skip

    def make(self, **told):
        return self.send(VOLUME, uid=self.pool_uid, was={}, wanted=WANTED, **told)

    @property
    def pool_uid(self):
        return f"uuid.{self.ground.pools['swift-2'].uuid}".lower()

    def named(self, name="sonar-new-v1"):
        return [one for _, one in self.ground.volumes.values() if one.name == name]

    def volume(self):
        (one,) = self.named()
        return f"naa.{one.naa}", {"name": one.name, "size_bytes": one.size_bytes}


@pytest.fixture
def desk(far_end, heron):
    return Desk(far_end, heron)


def test_a_volume_is_made_and_read(desk, far_end, heron):
    told = desk.make()
    assert (told.is_so, told.found["size_bytes"]) == (True, 10 * GIB)
    (one,) = desk.named()
    assert told.found["uid"] == f"naa.{one.naa}"
    with pytest.raises(NotSettableError, match="stands on the pool already"):
        Desk(far_end, heron).make()
    assert len(desk.named()) == 1


def test_what_was_done_while_nobody_was_told_is_not_done_twice(desk, heron):
    heron.fault("hangs-up", count=1)
    told = desk.make()
    assert (told.is_so, len(desk.named())) == (True, 1)
    # Killed after it was sent, before anything of it was kept but that.
    assert set(desk.kept) == {"sent_at"}
    assert (desk.make().is_so, len(desk.named())) == (True, 1)


@pytest.mark.parametrize("is_killed", [False, True])
def test_a_task_is_followed_also_after_a_crash(desk, heron, is_killed):
    heron.fault("slow-task", count=1, delay_seconds=30)
    told = desk.make()
    assert (told.is_under_way, told.is_so, desk.named()) == (True, False, [])
    if is_killed:  # between the answer and the writing of it
        desk.kept = {"sent_at": desk.kept["sent_at"]}
        assert desk.make().is_under_way
        assert len(heron.service.changes.tasks) == 1
    heron.service.changes.tasks[1].ends_at = 0.0
    told = desk.make()
    assert (told.is_so, len(desk.named()), len(heron.service.changes.tasks)) == (True, 1, 1)


@pytest.mark.parametrize(
    ("fault", "size", "says"),
    [("half-done", 5 * GIB, "gave it up"), ("failing-task", None, "gave it up")],
)
def test_a_task_that_fails_tells_what_came_of_it(desk, heron, fault, size, says):
    heron.fault(fault, count=1, delay_seconds=0)
    told = desk.make()
    assert (told.is_so, told.found.get("size_bytes")) == (False, size)
    assert says in told.says
    # Tried again it is brought to its end, or begun anew.
    assert (desk.make().is_so, len(desk.named())) == (True, 1)


def test_what_is_refused_is_told_in_the_arrays_words_and_may_be_sent_again(desk, heron):
    heron.fault("refuses", count=1)
    with pytest.raises(RefusedError, match="no room for it"):
        desk.make()
    assert desk.kept == {}
    assert desk.make().is_so


def test_a_reader_makes_nothing(desk, heron):
    reader = FarEnd(addresses=(heron.url,), user=USER, password=PASSWORD, back_off_seconds=0.01)
    with pytest.raises(RefusedError, match="may read only"):
        desk.make(far_end=reader)
    assert desk.named() == []


def test_an_array_that_is_busy_all_along_makes_nothing_and_is_asked_again(desk, heron):
    before = len(desk.ground.volumes)
    place = writer_of(VOLUME).find(desk.far_end, [desk.pool_uid])[desk.pool_uid]
    heron.fault("busy", retry_after_seconds=None)
    sending = Sending(place=place, uids=frozenset(), was={}, wanted=WANTED, keep=desk.keep)
    with pytest.raises((BusyError, CollectError)):
        writer_of(VOLUME).send(desk.far_end, sending)
    heron.fault("none")
    assert (len(desk.ground.volumes), desk.make().is_so) == (before, True)


def test_it_grows_is_renamed_and_mapped_as_it_was_seen(desk):
    desk.make()
    desk.kept = {}
    uid, seen = desk.volume()
    size = {"size_bytes": seen["size_bytes"]}
    grown = desk.send(SIZE, uid=uid, was=size, wanted={"size_bytes": 20 * GIB + 1})
    assert (grown.is_so, grown.found) == (True, {"size_bytes": 20 * GIB + EXTENT_BYTES})
    again = desk.send(SIZE, uid=uid, was=size, wanted={"size_bytes": 20 * GIB + 1})
    assert (again.is_so, again.is_sent) == (True, False)
    with pytest.raises(NotAsSeenError, match="somebody else set it"):
        desk.send(SIZE, uid=uid, was=size, wanted={"size_bytes": 40 * GIB})
    renamed = desk.send(NAME, uid=uid, was={"name": "sonar-new-v1"}, wanted={"name": "sonar-v1"})
    assert (renamed.is_so, len(desk.named("sonar-v1"))) == (True, 1)
    ports = [f"wwn.{one}" for one in desk.ground.ports_seen[:3]]
    mapped = desk.send(ENDS, uid=uid, was={"ends": []}, wanted={"ends": ports})
    assert (mapped.is_so, set(mapped.found["ends"])) == (True, set(ports))
    with pytest.raises(NotSettableError, match="no host has come to the array from wwn"):
        desk.send(ENDS, uid=uid, was={"ends": sorted(ports)}, wanted={"ends": ["wwn.nobody"]})


def test_a_slow_growth_ends_as_wanted_or_half_way(desk, heron):
    desk.make()
    uid, seen = desk.volume()
    desk.kept, size = {}, {"size_bytes": seen["size_bytes"]}
    heron.fault("slow-task", count=1, delay_seconds=30)
    told = desk.send(SIZE, uid=uid, was=size, wanted={"size_bytes": 20 * GIB})
    assert (told.is_under_way, "task" in desk.kept) == (True, True)
    heron.service.changes.tasks[1].ends_at = 0.0
    assert desk.send(SIZE, uid=uid, was=size, wanted={"size_bytes": 20 * GIB}).is_so
    heron.fault("half-done", count=1, delay_seconds=0)
    half = desk.send(SIZE, uid=uid, was={"size_bytes": 20 * GIB}, wanted={"size_bytes": 40 * GIB})
    assert (half.is_so, half.found, "gave it up" in half.says) == (
        False, {"size_bytes": 30 * GIB}, True,
    )  # fmt: skip


def test_a_volume_is_taken_from_who_sees_it_and_deleted_once(desk, heron):
    desk.make()
    desk.kept = {}
    uid, seen = desk.volume()
    ports = [f"wwn.{desk.ground.ports_seen[0]}"]
    desk.send(ENDS, uid=uid, was={"ends": []}, wanted={"ends": ports})
    with pytest.raises(NotAsSeenError):
        desk.send(DELETION, uid=uid, was={**seen, "size_bytes": 1}, wanted={})
    heron.fault("hangs-up", count=1)
    assert desk.send(DELETION, uid=uid, was=seen, wanted={}).is_so
    assert desk.named() == []
    assert desk.send(DELETION, uid=uid, was=seen, wanted={}).is_so  # killed behind it
    desk.kept = {}
    with pytest.raises(NotSettableError, match="does not know it"):
        desk.send(DELETION, uid=uid, was=seen, wanted={})


def test_a_refusal_of_a_second_try_takes_no_claim_of_the_first_away(desk, heron):
    desk.kept = {"sent_at": "2026-11-23T08:00:00+00:00"}  # lost, or done and not listed yet
    heron.fault("refuses", count=1)
    with pytest.raises(RefusedError):
        desk.make()
    assert "sent_at" in desk.kept
    assert (desk.make().is_so, len(desk.named())) == (True, 1)


@pytest.mark.parametrize(
    ("words", "is_it"),
    [
        ("Create sonar-1", True), ("sonar-1", True), ("volume sonar-1, thin", True),
        ("Create sonar-10", False), ("Create old-sonar-1", False), ("Create sonar-1.bak", False),
        ("Create sonar_1", False), ("", False),
    ],
)  # fmt: skip
def test_a_task_names_a_volume_as_a_whole(words, is_it):
    assert names_it(words, "sonar-1") is is_it
