from datetime import timedelta

import pytest
from django.db import IntegrityError, transaction

from keelmark.core.marks import Marks
from keelmark.core.units import TIB
from keelmark.estate.documents import (
    ArrayDocument,
    CompleteDocument,
    DriveDocument,
    PoolDocument,
    VolumeDocument,
)
from keelmark.estate.errors import UnknownParentError
from keelmark.estate.models import Array, Drive, Entity, Pool, ServiceClass, Site, Volume
from keelmark.estate.selectors import ledger_of, with_marks
from keelmark.feeds.importer import Imported, import_documents
from tests.server.conftest import NOW as PRESENT

NOW = PRESENT - timedelta(hours=3)  # nothing is younger than its arrival
LATER = NOW + timedelta(hours=1)
EARLIER = NOW - timedelta(days=3)


def array(**changes):
    return ArrayDocument(
        **({"uid": "serial.H1", "name": "heron-1", "site": "Skerry", "read_at": NOW} | changes)
    )


def pool(**changes):
    known = {
        "uid": "uuid.p1", "array_uid": "serial.H1", "name": "swift-1", "service_class": "Swift",
        "usable_bytes": 10 * TIB, "used_bytes": 4 * TIB, "provisioned_bytes": 12 * TIB,
        "read_at": NOW,
    }  # fmt: skip
    return PoolDocument(**(known | changes))


def volume(uid="naa.v1", **changes):
    known = {
        "uid": uid, "pool_uid": "uuid.p1", "name": "seabed-1", "size_bytes": 3 * TIB,
        "written_bytes": TIB, "provisioning": "thin", "is_mapped": True, "read_at": NOW,
    }  # fmt: skip
    return VolumeDocument(**(known | changes))


def drive(uid="serial.D1", **changes):
    known = {"uid": uid, "array_uid": "serial.H1", "name": "drive-1", "capacity_bytes": TIB,
             "role": "pooled", "pool_uid": "uuid.p1", "read_at": NOW}  # fmt: skip
    return DriveDocument(**(known | changes))


@pytest.fixture
def take(db):
    def run(*documents):
        into = Imported()
        import_documents(documents, into=into)
        return into.difference

    return run


def the_pool():
    return with_marks(Pool.objects.all()).get()


def test_things_are_new_once_and_then_known(take):
    documents = (array(), pool(), volume(), drive())
    assert take(*documents).n_new == {"array": 1, "pool": 1, "volume": 1, "drive": 1}
    again = take(*documents)
    assert again.n_new == again.n_changed == again.n_retired == {}
    assert Entity.objects.count() == 5  # with the site


def test_a_new_name_is_the_same_thing(take):
    take(array(), pool())
    take(array(name="heron-one", read_at=LATER), pool(name="swift-one", read_at=LATER))
    assert the_pool().entity.name == "swift-one"
    assert Array.objects.get().entity.name == "heron-one"


def test_two_things_of_one_name_stay_two(take):
    take(array(), pool(), pool(uid="uuid.p2"))
    assert Pool.objects.count() == 2


def test_a_thing_is_first_seen_when_the_oldest_source_saw_it(take):
    take(array(), pool())
    take(array(read_at=EARLIER), pool(read_at=EARLIER, used_bytes=1))
    entity = Entity.objects.get(uid="uuid.p1")
    assert (entity.first_seen_at, entity.last_seen_at) == (EARLIER, NOW)
    assert the_pool().used_bytes == 4 * TIB


def test_changes_are_counted_by_kind(take):
    take(array(), pool(), volume(), volume("naa.v2"))
    later = take(
        pool(used_bytes=5 * TIB, read_at=LATER),
        volume(written_bytes=2 * TIB, read_at=LATER),
        volume("naa.v2", read_at=LATER),
    )
    assert later.n_changed == {"pool": 1, "volume": 1}


def test_what_is_left_out_this_time_is_what_was_said_last_time(take):
    take(array(), pool(), volume())
    take(
        pool(service_class=None, provisioned_bytes=None, read_at=LATER),
        volume(written_bytes=None, provisioning=None, is_mapped=None, read_at=LATER),
    )
    kept = Volume.objects.get()
    assert (kept.written_bytes, kept.provisioning, kept.is_mapped) == (TIB, "thin", True)
    assert the_pool().service_class.name == "Swift"
    assert the_pool().provisioned_bytes == 12 * TIB


def test_thick_space_not_yet_written_is_reserved(take):
    take(
        array(),
        pool(),
        volume("naa.thin"),
        volume("naa.thick", provisioning="thick", written_bytes=TIB),
        volume("naa.full", provisioning="thick", written_bytes=3 * TIB),
    )
    assert the_pool().thick_unwritten_bytes == 2 * TIB
    ledger = ledger_of(the_pool())
    assert ledger.plannable_bytes == ledger.limit_bytes - 6 * TIB


def test_what_a_complete_collection_does_not_name_is_retired_and_may_return(take):
    take(array(), pool(), volume("naa.v1"), volume("naa.v2"), drive())
    whole = CompleteDocument(array_uid="serial.H1")
    gone = take(array(read_at=LATER), pool(read_at=LATER), volume("naa.v1", read_at=LATER), whole)
    assert gone.n_retired == {"volume": 1, "drive": 1}
    assert Entity.objects.get(uid="naa.v2").retired_at == LATER
    back = LATER + timedelta(hours=1)
    take(volume("naa.v2", read_at=back))
    assert Entity.objects.get(uid="naa.v2").retired_at is None


def test_a_complete_collection_touches_no_other_array(take):
    other = {"uid": "uuid.p9", "array_uid": "serial.H9"}
    take(array(), pool(), array(uid="serial.H9", name="heron-9"), pool(**other))
    take(array(read_at=LATER), pool(read_at=LATER), CompleteDocument(array_uid="serial.H1"))
    assert not Entity.objects.filter(retired_at__isnull=False).exists()


def test_a_part_of_an_array_retires_nothing(take):
    take(array(), pool(), volume("naa.v1"), volume("naa.v2"))
    take(volume("naa.v1", read_at=LATER))
    assert not Entity.objects.filter(retired_at__isnull=False).exists()


@pytest.mark.parametrize(
    "documents",
    [(pool(),), (array(), volume())],
    ids=["pool", "volume"],
)
def test_a_child_without_its_parent_is_refused_and_nothing_written(take, documents):
    with pytest.raises(UnknownParentError, match="not known"):
        take(*documents)
    assert not Entity.objects.exists()


def test_arrays_of_one_site_share_it(take):
    take(array(), array(uid="serial.H2", name="heron-2"))
    assert Site.objects.count() == 1
    assert Entity.objects.filter(kind="array", site=Site.objects.get().entity).count() == 2


def test_a_drive_may_lie_in_no_pool(take):
    take(array(), drive(role="spare", pool_uid=None))
    assert Drive.objects.get().pool is None


@pytest.mark.parametrize(
    ("on_pool", "on_class", "on_site", "wanted"),
    [
        (None, None, None, 90),
        (None, None, 88, 88),
        (None, 85, 88, 85),
        (95, 85, 88, 95),
    ],
    ids=["default", "site", "class", "own"],
)
def test_the_nearest_mark_wins(take, on_pool, on_class, on_site, wanted):
    take(array(), pool())
    Entity.objects.filter(uid="uuid.p1").update(limit_percent=on_pool)
    ServiceClass.objects.update(limit_percent=on_class)
    Entity.objects.filter(kind="site").update(limit_percent=on_site)
    assert ledger_of(the_pool()).marks == Marks(limit_percent=wanted)


def test_the_database_refuses_what_must_never_be(take):
    take(array(), pool())
    for table, bad in (
        (Pool.objects.all(), {"used_bytes": -1}),
        (Entity.objects.filter(kind="pool"), {"caution_percent": 95, "limit_percent": 90}),
    ):
        with pytest.raises(IntegrityError), transaction.atomic():
            table.update(**bad)
