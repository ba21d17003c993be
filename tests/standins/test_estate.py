from datetime import timedelta

import numpy as np

from standins.arrays import HISTORY_DAYS
from standins.estate import make_estate
from standins.estate_file import history
from tests.conftest import ANCHOR_ON


def pool_of(estate, array, name):
    arrays = {a.name: a for a in estate.arrays}
    return next(p for p in arrays[array].pools if p.name == name)


def used_share(pool):
    return np.sum([v.curve_bytes for v in pool.volumes], axis=0) / pool.usable_bytes


def test_the_same_seed_makes_the_same_estate():
    day = ANCHOR_ON - timedelta(days=1)
    one, two = (
        list(history(make_estate(size="small", anchor_on=ANCHOR_ON), until=day)) for _ in range(2)
    )
    assert one == two


def test_the_situations_are_there():
    estate = make_estate(size="demo", anchor_on=ANCHOR_ON)
    eve = HISTORY_DAYS - 1
    filling = used_share(pool_of(estate, "heron-1", "swift-2"))
    left = 0.9 - filling[eve]
    assert 10 < left / (filling[eve] - filling[eve - 28]) * 28 < 32  # ends in about three weeks
    flat = used_share(pool_of(estate, "avocet-2", "deep-1"))
    assert flat[eve] > 0.9
    assert abs(flat[eve] - flat[eve - 90]) < 0.01
    jump = used_share(pool_of(estate, "plover-1", "deep-2"))
    assert jump[HISTORY_DAYS - 20] - jump[HISTORY_DAYS - 21] > 0.04
    cleaned = used_share(pool_of(estate, "plover-1", "steady-1"))
    assert cleaned[HISTORY_DAYS - 45] - cleaned[HISTORY_DAYS - 46] < -0.15
    promised = pool_of(estate, "heron-2", "swift-1")
    assert promised.provisioned_bytes > 2 * promised.usable_bytes
    lonely = pool_of(estate, "avocet-1", "swift-1")
    assert sum(not v.is_mapped for v in lonely.volumes) == 2


def test_no_volume_is_ever_larger_than_promised(small_estate):
    for array in small_estate.arrays:
        for pool in array.pools:
            for volume in pool.volumes:
                assert volume.curve_bytes[:HISTORY_DAYS].max() <= volume.size_bytes
