"""The estate cut open: every byte once, and nobody's bytes told as such."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.reading import read
from keelmark.core.estate.strata import Cut, Height, Layer, Node, Way, layers
from tests.core.estates import TODAY, estates, everything, make_estate, past_of


@pytest.fixture(scope="module")
def estate() -> Estate:
    return make_estate(
        site=[{"id": 1}], tenant=[{"id": 2}], array=[{"id": 3, "site": 1}],
        pool=[{"id": 4, "array": 3, "site": 1, "used": 100, "size": 200, "promised": 260}],
        volume=[{"id": 5, "pool": 4, "used": 60, "size": 90},
                {"id": 6, "pool": 4, "used": 30, "size": 30},
                {"id": 7, "array": 3, "used": 9, "size": 10}],
        cluster=[{"id": 8}],
        datastore=[{"id": 9, "used": 80, "size": 120, "cluster": 8}],
        project=[{"id": 10, "tenant": 2}],
        vm=[{"id": 11, "project": 10, "tenant": 2}, {"id": 12, "project": 10, "tenant": 2}],
        disk=[{"id": 13, "vm": 11, "datastore": 9, "used": 40, "size": 50, "tenant": 2},
              {"id": 14, "vm": 12, "datastore": 9, "used": 10, "size": 20, "tenant": 2},
              {"id": 15, "vm": 12, "used": 7, "size": 8, "tenant": 2}],
        file=[{"id": 16, "datastore": 9, "size": 12, "orphan": 1},
              {"id": 17, "datastore": 9, "size": 3, "orphan": 0}],
        drive=[{"id": 18, "array": 3, "size": 500, "role": "unpooled"}],
        account=[{"id": 19}],
        bucket=[{"id": 20, "account": 19, "used": 30, "hot": 10, "cold": 20}],
        pairs={"extents": [(9, 5), (9, 6)]},
    )  # fmt: skip


def cut(estate: Estate, *, way: Way = Way.STORAGE, height: Height = Height.USED) -> Cut:
    now = read(estate, day=TODAY)
    before = read(estate, day=TODAY - 30, past=past_of(estate, day=TODAY - 30))
    return Cut(reading=now, way=way, height=height, shown=everything(estate), since=before)


def told(layer: Layer, estate: Estate) -> list[tuple[int, int | None]]:
    return [
        (int(estate.table(one.node.kind).ids[one.node.row]), one.amount) for one in layer.members
    ]


def rest(layer: Layer) -> dict[str, int]:
    return {one.what: one.amount for one in layer.remainders}


def test_storage_is_cut_from_site_to_disk(estate: Estate):
    found = layers(cut(estate), path=(), n_most=9)
    assert [told(one, estate) for one in found] == [
        [(1, 100)], [(3, 100)], [(4, 100), (7, 9)], [(5, 60), (6, 30)], [(9, 60)],
        [(11, 40), (12, 10)], [(13, 40)],
    ]  # fmt: skip
    assert [rest(one) for one in found] == [
        {}, {}, {"unpooled": 0}, {"unclaimed": 10}, {}, {"orphans": 12, "unclaimed": 18}, {},
    ]  # fmt: skip
    assert found[3].total.known_bytes == 100


def test_a_path_is_followed_and_then_the_largest(estate: Estate):
    path = (Node("site", 0), Node("array", 0), Node("volume", 2))
    found = layers(cut(estate), path=path, n_most=9)
    assert [one.of for one in found] == [None, *path]
    assert rest(found[-1]) == {"unclaimed": 9}


@pytest.mark.parametrize(
    ("way", "amounts"),
    [
        (Way.CONSUMERS, [[57], [57], [40, 17], [40]]),
        (Way.OBJECTS, [[30], [30], []]),
    ],
)
def test_other_ways_in_add_up_the_same_bytes(estate: Estate, way: Way, amounts: list[list[int]]):
    found = layers(cut(estate, way=way), path=(), n_most=9)
    assert [[one.amount for one in layer.members] for layer in found] == amounts


def test_a_bucket_is_cut_into_its_tiers(estate: Estate):
    assert rest(layers(cut(estate, way=Way.OBJECTS), path=(), n_most=9)[-1]) == {
        "hot": 10, "cold": 20,
    }  # fmt: skip


@pytest.mark.parametrize(
    ("height", "amount"),
    [(Height.PROMISED, 260), (Height.EXPOSURE, 60), (Height.GROWN, None)],
)
def test_pools_are_as_high_as_they_are_asked_to_be(
    estate: Estate, height: Height, amount: int | None
):
    pools = layers(cut(estate, height=height), path=(), n_most=3)[2]
    assert (4, amount) in told(pools, estate)


def test_nothing_is_told_of_nobodys_bytes_where_some_are_left_out(estate: Estate):
    narrowed = cut(estate)
    shown = {**narrowed.shown, "volume": np.array([True, False, True])}
    narrowed = Cut(
        reading=narrowed.reading, way=Way.STORAGE, height=Height.USED, shown=shown,
        since=narrowed.since,
    )  # fmt: skip
    volumes = layers(narrowed, path=(), n_most=4)[3]
    assert told(volumes, estate) == [(5, 60)]
    assert rest(volumes) == {}


@given(estates(), st.sampled_from(list(Way)))
def test_no_layer_holds_more_than_was_read(estate: Estate, way: Way):
    now = read(estate, day=TODAY)
    for layer in layers(cut(estate, way=way), path=(), n_most=9):
        known = [one.amount for one in layer.members if one.amount is not None]
        rests = sum(one.amount for one in layer.remainders)
        assert layer.total.known_bytes == sum(known) + rests
        assert layer.total.n_unread == len(layer.members) - len(known)
        assert known == sorted(known, reverse=True)
        if layer.of is None or way is not Way.STORAGE or layer.of.kind == "volume":
            continue
        whole = now.books[layer.of.kind].used.told(layer.of.row)
        if whole is not None and layer.remainders and rests:
            assert layer.total.known_bytes == max(whole, sum(known))


def test_circles_among_shared_pools_end():
    estate = make_estate(
        site=[{"id": 1}], array=[{"id": 2, "site": 1}],
        pool=[{"id": 3, "array": 2, "used": 5, "size": 9}, {"id": 4, "used": 5, "size": 9}],
        volume=[{"id": 5, "pool": 3, "used": 5, "size": 9},
                {"id": 6, "pool": 4, "used": 5, "size": 9}],
        pairs={"backings": [(4, 5), (4, 6)]},
    )  # fmt: skip
    found = layers(cut(estate), path=(), n_most=9)
    assert len(found) < 9
    assert found[-1].of != Node("pool", NOWHERE)
