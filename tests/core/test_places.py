import numpy as np
import pytest
from hypothesis import given

from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.places import ABOVE, places_of_disks
from keelmark.core.estate.reading import read
from tests.core.estates import TODAY, estates, make_estate

# Two arrays at one site; datastore 1 lies in one pool, 2 on volumes of two, 3 on nothing told.
ESTATE = make_estate(
    site=[{"id": 1}],
    array=[{"id": 1, "site": 1}, {"id": 2, "site": 1}],
    pool=[{"id": 1, "array": 1}, {"id": 2, "array": 2}],
    volume=[{"id": 1, "pool": 1}, {"id": 2, "pool": 1}, {"id": 3, "pool": 2}],
    datastore=[{"id": 1}, {"id": 2}, {"id": 3}],
    disk=[{"id": n, "datastore": n} for n in (1, 2, 3)] + [{"id": 4}],
    pairs={"extents": [(1, 1), (1, 2), (2, 2), (2, 3)]},
)


@pytest.mark.parametrize(
    ("kind", "rows"),
    [
        ("datastore", [0, 1, 2, NOWHERE]),
        ("volume", [NOWHERE, NOWHERE, NOWHERE, NOWHERE]),
        ("pool", [0, NOWHERE, NOWHERE, NOWHERE]),
        ("array", [0, NOWHERE, NOWHERE, NOWHERE]),
        ("site", [0, 0, NOWHERE, NOWHERE]),
    ],
)
def test_a_disk_lies_on_a_place_where_that_is_one_alone(kind, rows):
    assert places_of_disks(read(ESTATE, day=TODAY), kind=kind).tolist() == rows


@given(estates())
def test_places_agree_with_a_plain_walk(estate):
    reading = read(estate, day=TODAY)
    pairs = estate.pairs["extents"]
    for kind in ABOVE:
        told = places_of_disks(reading, kind=kind)
        for disk, store in enumerate(reading.link("disk", "datastore").tolist()):
            found = set()
            for left, right in zip(pairs.left.tolist(), pairs.right.tolist(), strict=True):
                if left != store or store == NOWHERE:
                    continue
                at = right
                for lower, upper in (("volume", "pool"), ("pool", "array"), ("array", "site")):
                    if lower == kind or at == NOWHERE:
                        break
                    at = int(reading.link(lower, upper)[at])
                found.add(at)
            assert told[disk] == (found.pop() if len(found) == 1 else NOWHERE)
    assert places_of_disks(reading, kind="datastore") is reading.link("disk", "datastore")


def test_an_estate_without_places_has_none():
    empty = read(make_estate(disk=[{"id": 1}]), day=TODAY)
    assert np.all(places_of_disks(empty, kind="pool") == NOWHERE)
