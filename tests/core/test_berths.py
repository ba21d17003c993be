import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.berths import ReferenceVm, Room, berths_free
from keelmark.core.errors import RangeError
from keelmark.core.units import GIB

REFERENCE = ReferenceVm(n_cpus=2, memory_bytes=8 * GIB, disk_bytes=100 * GIB)


def rooms(*, cpus: int = 40, memory_gib: int = 100, stores_gib: tuple[int, ...] = (950, 450)):
    return [
        Room(resource="n_cpus", free=(cpus,)),
        Room(resource="memory_bytes", free=(memory_gib * GIB,)),
        Room(resource="disk_bytes", free=tuple(gib * GIB for gib in stores_gib)),
    ]


@pytest.mark.parametrize(
    ("changes", "wanted"),
    [
        ({}, (12, "memory_bytes")),
        ({"memory_gib": 400}, (13, "disk_bytes")),  # 9 + 4: what is left over cannot be joined
        ({"memory_gib": 400, "cpus": 5}, (2, "n_cpus")),
        ({"stores_gib": (-300, 250)}, (2, "disk_bytes")),  # one past its line takes from none
        ({"cpus": -4}, (0, "n_cpus")),
    ],
)
def test_what_runs_out_first_limits(changes, wanted):
    told = berths_free(rooms(**changes), reference=REFERENCE)
    assert (told.n_free, told.limited_by) == wanted


def test_what_is_not_known_makes_the_number_unknown():
    some = [*rooms()[:1], Room(resource="memory_bytes", free=None)]
    told = berths_free(some, reference=REFERENCE)
    assert (told.n_free, told.limited_by) == (None, None)
    assert told.by_resource == {"n_cpus": 20, "memory_bytes": None}


def test_a_resource_that_a_vm_takes_none_of_does_not_count():
    told = berths_free(rooms(cpus=0), reference=ReferenceVm(n_cpus=0, memory_bytes=GIB,
                                                             disk_bytes=GIB))  # fmt: skip
    assert (told.n_free, told.limited_by) == (100, "memory_bytes")
    nothing = berths_free(rooms(), reference=ReferenceVm(n_cpus=0, memory_bytes=0, disk_bytes=0))
    assert nothing.n_free is None


@given(st.lists(st.integers(-10, 500), min_size=1, max_size=4), st.integers(0, 300))
def test_more_room_never_means_fewer_berths(stores, more):
    less = berths_free(rooms(stores_gib=tuple(stores)), reference=REFERENCE)
    stores[0] += more
    assert berths_free(rooms(stores_gib=tuple(stores)), reference=REFERENCE).n_free >= less.n_free


def test_a_negative_reference_and_an_unknown_resource_are_refused():
    with pytest.raises(RangeError, match="disk_bytes"):
        ReferenceVm(n_cpus=1, memory_bytes=1, disk_bytes=-1)
    with pytest.raises(RangeError, match="resource"):
        berths_free([Room(resource="ports", free=(3,))], reference=REFERENCE)
