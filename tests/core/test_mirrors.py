"""Mirrors: what they hold, promise and free, and which are of no use."""

import pytest

from keelmark.core.estate.reading import read
from keelmark.core.scenario.compiling import compiled
from keelmark.core.units import TIB
from tests.core.estates import TODAY
from tests.core.layered import (
    ESTATE,
    LATER,
    POOLS,
    VOLUMES,
    after,
    dated,
    more,
    reading,
    used,
)


def test_a_mirror_holds_and_grows_as_its_volume_and_is_promised():
    told = after(dated("mirror", what=[30], to=21))
    now, then = (reading(told, day) for day in (TODAY + 8, LATER))
    copy = told.births[1][0].row
    for one in (now, then):
        held = one.books["volume"].used.values
        assert held[copy] == pytest.approx(held[VOLUMES.index(30)], rel=0.01)
    assert used(then, "volume", copy) > used(now, "volume", copy)
    assert more(told, "pool", POOLS.index(21)) == used(then, "volume", copy)
    promised = reading(told).books["pool"].promised.values[POOLS.index(21)]
    assert promised - read(ESTATE, day=LATER).books["pool"].promised.values[1] == 9 * TIB


def test_a_mirror_that_ends_frees_what_its_copy_held():
    told = after(dated("end_mirror"))
    assert more(told, "pool", POOLS.index(20)) == -used(read(ESTATE, day=LATER), "volume", 3)
    assert not reading(told).is_there["volume"][3]


@pytest.mark.parametrize(
    ("kind", "fields", "says", "is_bar"),
    [
        ("mirror", {"what": [32], "to": 20}, "is mirrored already", True),
        ("mirror", {"what": [31], "to": 22}, "its loss takes both", False),
        ("end_mirror", {"what": [30]}, "is not mirrored", True),
    ],
)
def test_mirrors_that_cannot_be_or_are_of_no_use_say_so(kind, fields, says, is_bar):
    faults = compiled(ESTATE, [dated(kind, **fields)]).told[0].faults
    assert any(says in str(one.says) and one.is_bar == is_bar for one in faults)
