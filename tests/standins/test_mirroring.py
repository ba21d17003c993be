"""Mirrors begun and ended at an array, to its own volumes and to another array's."""

import pytest

from keelmark.estate.documents import VolumeDocument
from keelmark.feeds.changes.allowed import MIRRORS, SIZE, VOLUME
from keelmark.feeds.changes.writers import Sending, writer_of
from keelmark.feeds.errors import CollectError, NotAsSeenError, NotSettableError, RefusedError
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.redfish.resource import far_place, targets_of
from keelmark.feeds.redfish.walk import collect_array
from standins.arrays import written_bytes
from tests.conftest import PASSWORD, USER, WRITER

NAME = "sonar-mirror"


def end_of(array, account=WRITER):
    return FarEnd(
        addresses=(array.url,), user=account[0], password=account[1], back_off_seconds=0.01
    )


def make_on(array, *, pool, size, name=NAME):
    """Make a volume as any other is made, and return the stand-in's own."""
    ground = array.service.tree.ground
    uid, end = f"uuid.{ground.pools[pool].uuid}".lower(), end_of(array)
    writer = writer_of(VOLUME)
    told = writer.send(
        end,
        Sending(
            place=writer.find(end, [uid])[uid], uids=frozenset([uid]), was={},
            wanted={"name": name, "size_bytes": size, "thickness": "thin"},
        ),
    )  # fmt: skip
    assert told.is_so
    return next(one for _, one in ground.volumes.values() if one.name == name)


class Desk:
    """Sends as the room of changes does."""

    def __init__(self, near, far, *, is_near):
        self.near, self.far = near, near if is_near else far
        ground = near.service.tree.ground
        self.source = ground.pools["swift-2"].volumes[0]
        pool = "steady-1" if is_near else "swift-3"
        self.target = make_on(self.far, pool=pool, size=self.source.size_bytes)
        path = self.far.service.tree.ground.path_of(self.target)
        self.where = path if is_near else self.far.url + path
        self.kept = {}

    @property
    def uid(self):
        return f"naa.{self.target.naa}"

    def send(self, *, was, wanted, account=WRITER, elsewhere=None):
        writer, end = writer_of(MIRRORS), end_of(self.near, account)
        source = f"naa.{self.source.naa}"
        return writer.send(
            end,
            Sending(
                place=writer.find(end, [source]).get(source, ""), uids=frozenset([source]),
                was={"targets": was}, wanted={"targets": wanted}, progress=dict(self.kept),
                keep=lambda told: setattr(self, "kept", told),
                elsewhere={self.uid: self.where} if elsewhere is None else elsewhere,
            ),
        )  # fmt: skip

    def begin(self, **told):
        return self.send(was=[], wanted=[self.uid], **told)

    def spoilt(self, **told):
        for name, value in told.items():
            setattr(self.target, name, value)
        return self

    def end(self):
        return self.send(was=[self.uid], wanted=[])

    def volumes(self, array):
        told = collect_array(end_of(array, (USER, PASSWORD)), lambda *_: None).documents
        return {one.uid: one for one in told if isinstance(one, VolumeDocument)}


@pytest.fixture
def desk(request, heron, standin):
    is_near = getattr(request, "param", False)
    return Desk(heron, heron if is_near else standin("avocet-2"), is_near=is_near)


@pytest.mark.parametrize("desk", [False, True], indirect=True, ids=["at another", "at its own"])
def test_a_mirror_holds_what_its_volume_holds_until_it_is_ended(desk):
    day = desk.near.service.tree.ground.estate.day_of(desk.near.service.now())
    held = written_bytes(desk.source, day=day)
    assert written_bytes(desk.target, day=day) == 0
    assert desk.begin().found == {"targets": [desk.uid]}
    assert written_bytes(desk.target, day=day) == held > 0
    assert desk.begin().is_sent is False  # it is so already
    source, target = f"naa.{desk.source.naa}", desk.volumes(desk.far)[desk.uid]
    (told,) = desk.volumes(desk.near)[source].replicated_to
    assert told in target.also
    assert desk.end().found == {"targets": []}
    assert desk.volumes(desk.near)[source].replicated_to == []
    # What it held stays on it, and grows no more.
    assert written_bytes(desk.target, day=day) == pytest.approx(held, rel=1e-3)
    assert written_bytes(desk.target, day=day + 9) == written_bytes(desk.target, day=day)


@pytest.mark.parametrize(("fault", "is_so"), [("hangs-up", True), ("busy", True)])
def test_what_was_done_while_nobody_was_told_is_seen(desk, fault, is_so):
    desk.near.fault(fault, count=1)
    assert desk.begin().is_so is is_so
    assert desk.source.mirrors == [desk.where]


def test_a_slow_one_is_followed_and_one_that_fails_is_told(desk):
    desk.near.fault("slow-task", count=1, delay_seconds=30)
    told = desk.begin()
    assert (told.is_under_way, desk.source.mirrors) == (True, None)
    desk.near.service.changes.tasks[1].ends_at = 0.0
    assert desk.begin().is_so
    desk.near.fault("half-done", count=1, delay_seconds=0)
    told = desk.end()
    assert (told.is_so, told.found, "gave it up" in told.says) == (
        False, {"targets": [desk.uid]}, True,
    )  # fmt: skip


def test_only_what_was_seen_is_changed(desk):
    other = make_on(desk.near, pool="steady-1", size=desk.source.size_bytes, name="other")
    desk.near.service.mirroring.do(
        desk.source, "Volume.AssignReplicaTarget",
        {"ReplicaType": "Mirror", "ReplicaUpdateMode": "Active",
         "TargetVolume": desk.near.service.tree.ground.path_of(other)}, source="", day=0.0,
    )  # fmt: skip
    with pytest.raises(NotAsSeenError):
        desk.begin()
    assert desk.target.mirror_of is None


@pytest.mark.parametrize(
    ("spoil", "error", "says"),
    [
        (lambda desk: desk.begin(account=(USER, PASSWORD)), RefusedError, "may read only"),
        (lambda desk: desk.begin(elsewhere={}), NotSettableError, "nobody knows where"),
        (lambda desk: desk.begin(elsewhere={desk.uid: "http://127.0.0.1:9/x"}), RefusedError,
         "no volume at"),
        (lambda desk: desk.spoilt(size_bytes=2**20).begin(), RefusedError,
         "smaller than its source"),
        (lambda desk: desk.spoilt(is_mapped=True).begin(), RefusedError, "is in use"),
        (lambda desk: (desk.begin(), desk.near.service.changes.deleted(desk.source)), Exception,
         "is mirrored"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_in_words(desk, spoil, error, says):
    with pytest.raises(error, match=says):
        spoil(desk)


def test_an_array_that_lets_nobody_mirror_says_so(desk, monkeypatch):
    monkeypatch.setattr("standins.redfish.space.actions_of", lambda _: {})
    with pytest.raises(NotSettableError, match="lets nobody"):
        desk.begin()


def test_the_size_of_a_mirrored_volume_is_set_as_before(desk):
    """A change of another sort asks for nothing elsewhere."""
    desk.begin()
    writer, end = writer_of(SIZE), end_of(desk.near)
    source, size = f"naa.{desk.source.naa}", desk.source.size_bytes
    told = writer.send(
        end,
        Sending(
            place=writer.find(end, [source])[source], uids=frozenset([source]),
            was={"size_bytes": size}, wanted={"size_bytes": size + 2**30},
        ),
    )  # fmt: skip
    assert told.is_so


@pytest.mark.parametrize(
    ("where", "of", "uid"),
    [
        ("/redfish/v1/Storage/a/Volumes/b", "http://10.0.0.1:8441", "10.0.0.1:8441"),
        ("/redfish/v1/Storage/a/Volumes/b", "https://Heron.test/", "heron.test:443"),
        ("https://heron.test/redfish/v1/Storage/a/Volumes/b/", "http://x", "heron.test:443"),
        ("http://heron.test:80/redfish/v1/Storage/a/Volumes/b", "http://x", "heron.test:80"),
    ],
)
def test_one_place_has_one_name_however_it_is_written(where, of, uid):
    assert far_place(where, of=of) == f"path.{uid}/redfish/v1/Storage/a/Volumes/b"


@pytest.mark.parametrize(
    ("told", "n"),
    [
        ({}, None),
        ({"ReplicaTargets": None}, None),
        ({"ReplicaTargets": []}, 0),
        ({"RemoteReplicaTargets": []}, 0),
        ({"ReplicaTargets": [{"@odata.id": "/v/1"}], "RemoteReplicaTargets": ["http://b/v/1"]}, 2),
        ({"ReplicaTargets": [{"@odata.id": "/v/1"}], "RemoteReplicaTargets": ["http://a/v/1"]}, 1),
        ({"ReplicaTargets": [{}, 7, {"@odata.id": ""}], "RemoteReplicaTargets": [None, 3]}, 0),
        ({"RemoteReplicaTargets": ["http://[half/v/1", "http://b:port/v"]}, 0),
    ],
)
def test_what_a_volume_tells_of_its_mirrors_is_read_of_any_shape(told, n):
    found = targets_of(told, url="http://a")
    assert (None if found is None else len(found)) == n


def test_nothing_is_sent_for_a_volume_that_is_gone(desk):
    wanted = {"targets": [desk.uid]}
    gone = Sending(place="", uids=frozenset(["naa.gone"]), was={"targets": []}, wanted=wanted)
    with pytest.raises(CollectError, match="does not know it any more"):
        writer_of(MIRRORS).send(end_of(desk.near), gone)
