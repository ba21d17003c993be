"""A sift finds what it says, and says where it cannot be read."""

from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import SiftFault
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.kinds import KINDS
from keelmark.core.estate.reading import read
from keelmark.core.sift import MAX_CHARS, MAX_TERMS, check, check_anywhere, parse, sifted
from keelmark.core.units import GIB, TB, TIB
from tests.core.estates import TODAY, everything, make_estate

EPOCH = date(1970, 1, 1).toordinal()


@pytest.fixture(scope="module")
def estate() -> Estate:
    return make_estate(
        site=[{"id": 1, "name": "Skerry"}, {"id": 2, "name": "Marram"}],
        tenant=[{"id": 3, "name": "Tide Gauges"}, {"id": 4, "name": "Public Web"}],
        array=[
            {"id": 5, "name": "heron-1", "site": 1, "free_ports": 6},
            {"id": 6, "name": "dulin-2", "site": 2, "free_ports": 2},
        ],
        pool=[
            {"id": 10, "name": "swift-1", "array": 5, "site": 1, "class": "Swift",
             "size": 100 * TIB, "used": 50 * TIB, "promised": 160 * TIB, "runway": TODAY + 30},
            {"id": 11, "name": "steady-1", "array": 5, "site": 1, "class": "Steady",
             "size": 80 * TIB, "used": 79 * TIB, "runway": TODAY},
            {"id": 12, "name": "steady-2", "array": 6, "site": 2, "class": "Steady",
             "size": 60 * TIB, "used": 6 * TIB},
            {"id": 13, "name": "lost", "used": None, "size": 0},
        ],
        volume=[
            {"id": 20, "name": "v-1", "pool": 10, "mapped": True},
            {"id": 21, "name": "v-2", "pool": 12, "mapped": False, "io": TODAY - 100},
            {"id": 22, "name": "v-3", "pool": 11},
        ],
        datastore=[{"id": 30, "name": "kelp-01"}, {"id": 31, "name": "kelp-02"}],
        project=[{"id": 40, "name": "sonar", "tenant": 3}],
        vm=[
            {"id": 50, "name": "sonar-1", "power": "on", "project": 40, "tenant": 3},
            {"id": 51, "name": "web 1", "power": "off", "since": TODAY - 120, "tenant": 4},
        ],
        disk=[
            {"id": 60, "name": "root", "vm": 50, "datastore": 30, "size": GIB, "tenant": 3},
            {"id": 61, "name": "data", "vm": 51, "datastore": 31, "size": TIB, "tenant": 4},
        ],
        pairs={"extents": [(30, 20), (31, 21)]},
    )  # fmt: skip


def found(estate: Estate, text: str, kind: str) -> list[int]:
    mask = sifted(read(estate, day=TODAY), node=parse(text), kind=kind, seen=everything(estate))
    return [int(one) for one in estate.table(kind).ids[mask]]


@pytest.mark.parametrize(
    ("text", "kind", "ids"),
    [
        ("", "pool", [10, 11, 12, 13]),
        ("kind:pool class:Steady", "pool", [11, 12]),
        ("class:steady class:SWIFT", "pool", [10, 11, 12]),
        ("class:Steady and class:Swift", "pool", []),
        ("-class:Steady", "pool", [10, 13]),
        ("not (class:Steady or class:Swift)", "pool", [13]),
        ("site:Skerry -array:dulin-2", "pool", [10, 11]),
        ("free>22TB", "pool", [10, 12]),
        ("free>22TB class:Steady array.free_ports>=4", "pool", []),
        ("free>500GiB class:Steady array.free_ports>=4", "pool", [11]),
        ("used=50TiB", "pool", [10]),
        ("fill>=90%", "pool", [11]),
        ("overcommit>150", "pool", [10]),
        ("used:none", "pool", [13]),
        ("class:none", "pool", [13]),
        ("-used:none", "pool", [10, 11, 12]),
        ("runway<90d", "pool", [10, 11]),
        ("runway>0d", "pool", [10]),
        (f"runway<={date.fromordinal(EPOCH + TODAY)}", "pool", [11]),
        ("heron", "pool", [10, 11]),
        ("heron swift", "pool", [10]),
        ("-heron", "pool", [12, 13]),
        ("Skerry steady", "pool", [11]),
        ("name~STEADY", "pool", [11, 12]),
        ("mapped:no", "volume", [21]),
        ("mapped:none", "volume", [22]),
        ("io>90d", "volume", [21]),
        ("power:off since>90d", "vm", [51]),
        ('"web 1"', "vm", [51]),
        ('tenant:"Tide Gauges"', "pool", [10]),
        ('vm.tenant:"Public Web"', "pool", [12]),
        ('project.tenant:"Tide Gauges"', "vm", [50]),
        ("pool.array.site:Skerry", "volume", [20, 22]),
        ("datastore.pool.class:Steady", "disk", [61]),
        ("pool:swift-1", "vm", [50]),
        ("pool:heron-1·swift-1", "vm", [50]),
        ("pool:dulin-2·swift-1", "vm", []),
        ("kind:vm power:off", "pool", [12]),
        ("kind:vm power:off", "array", [6]),
        ("power:off", "pool", [12]),
        ("kind:pools class:Steady", "vm", [51]),
        ("kind:vm", "vm", [50, 51]),
        ("size>=1TiB", "disk", [61]),
    ],
)
def test_a_sift_finds(estate: Estate, text: str, kind: str, ids: list[int]):
    assert found(estate, text, kind) == ids


@pytest.mark.parametrize(
    ("text", "kind", "span", "hint"),
    [
        ("free>", "pool", (4, 5), None),
        ("(class:Steady", "pool", (12, 13), None),
        ("class:Steady)", "pool", (12, 13), None),
        ('name:"web', "vm", (5, 9), None),
        ("or heron", "pool", (0, 2), None),
        ("heron or", "pool", (7, 8), None),
        ("fre>22TB", "pool", (0, 3), "free"),
        ("free>22XB", "pool", (5, 9), "22TB"),
        ("free>lots", "pool", (5, 9), "22TB"),
        ("runway<soon", "pool", (7, 11), "90d"),
        ("fill>high", "pool", (5, 9), "80%"),
        ("mapped:maybe", "volume", (7, 12), "yes"),
        ("class>Swift", "pool", (5, 6), "class:Swift"),
        ("free~22", "pool", (4, 5), "free<22"),
        ("kind:poool", "pool", (5, 10), "pool"),
        ("kind>pool", "pool", (0, 9), "kind:pool"),
        ("heron pool.arrray:x", "volume", (6, 17), "array"),
        ("plannable>1TB", "vm", (0, 9), "datastore.plannable"),
        ("a.b.c.d.e.f:1", "vm", (0, 11), None),
    ],
)
def test_a_fault_points_at_its_characters(
    text: str, kind: str, span: tuple[int, int], hint: str | None
):
    with pytest.raises(SiftFault) as told:
        check(parse(text), kind=kind)
    assert told.value.span == span
    assert hint is None or hint in told.value.would_be
    assert f"character {span[0] + 1}" in str(told.value)


@pytest.mark.parametrize(
    ("text", "span"),
    [
        ("power:off class:Swift", None),  # one of VMs, one of pools
        ("heron -power:off", None),
        ("state:fine", (6, 10)),
        ("io:helt", (3, 7)),  # of disks, that know what it is
        ("power:off colour:blue", (10, 16)),
        ("class:Swift or -(colour:blue)", (17, 23)),
    ],
)
def test_what_means_something_on_any_kind_can_be_a_scope(text: str, span: tuple[int, int] | None):
    if span is None:
        check_anywhere(parse(text), kind="pool")
        return
    with pytest.raises(SiftFault) as told:
        check_anywhere(parse(text), kind="pool")
    assert told.value.span == span


@pytest.mark.parametrize(
    "text",
    [" ".join(["x"] * (MAX_TERMS + 1)), "x" * (MAX_CHARS + 1), "(" * 40 + "x" + ")" * 40],
    ids=["terms", "characters", "brackets"],
)
def test_what_is_too_much_is_refused(text: str):
    with pytest.raises(SiftFault, match="at most"):
        parse(text)


@given(st.text(st.sampled_from('ab:<>=~"() -.,andortk1TB%'), max_size=40))
def test_any_text_is_read_or_refused_at_a_place_in_it(text: str):
    try:
        check(parse(text), kind="pool")
    except SiftFault as fault:
        begin, end = fault.span
        assert 0 <= begin <= end <= len(text)


_LEAVES = {
    "class:Steady": lambda row: row["class"] == "Steady",
    "free>20TiB": lambda row: row["free"] is not None and row["free"] > 20 * TIB,
    "swift": lambda row: "swift" in row["name"],
    "site:Skerry": lambda row: row["site"] == "Skerry",
    "used:none": lambda row: row["used"] is None,
}
_ROWS = {
    10: {"class": "Swift", "free": 50 * TIB, "name": "swift-1", "site": "Skerry", "used": 1},
    11: {"class": "Steady", "free": 1 * TIB, "name": "steady-1", "site": "Skerry", "used": 1},
    12: {"class": "Steady", "free": 54 * TIB, "name": "steady-2", "site": "Marram", "used": 1},
    13: {"class": None, "free": None, "name": "lost", "site": None, "used": None},
}
_TREES = st.recursive(
    st.sampled_from(sorted(_LEAVES)).map(lambda text: (text, _LEAVES[text])),
    lambda inner: st.one_of(
        inner.map(lambda one: (f"-({one[0]})", lambda row, one=one: not one[1](row))),
        st.tuples(inner, inner).map(
            lambda two: (f"({two[0][0]}) and {two[1][0]}",
                         lambda row, two=two: two[0][1](row) and two[1][1](row))
        ),
        st.tuples(inner, inner).map(
            lambda two: (f"({two[0][0]} or ({two[1][0]}))",
                         lambda row, two=two: two[0][1](row) or two[1][1](row))
        ),
    ),
    max_leaves=8,
)  # fmt: skip


@given(_TREES)
def test_and_or_not_mean_what_they_mean_of_each(estate: Estate, tree):
    text, holds = tree
    assert found(estate, text, "pool") == [pk for pk, row in _ROWS.items() if holds(row)]


def test_nobody_is_found_through_what_is_not_shown(estate: Estate):
    seen = everything(estate)
    seen["tenant"] = np.array([True, False])
    now = read(estate, day=TODAY)

    def asked(text: str) -> list[bool]:
        return [bool(one) for one in sifted(now, node=parse(text), kind="vm", seen=seen)]

    assert asked('tenant:"Tide Gauges"') == [True, False]
    assert asked('tenant:"Public Web"') == [False, False]


def test_every_field_of_every_kind_can_be_asked_for(estate: Estate):
    now, seen = read(estate, day=TODAY), everything(estate)
    for kind in KINDS.values():
        for field in kind.fields:
            mask = sifted(now, node=parse(f"{field.name}:none"), kind=kind.name, seen=seen)
            assert len(mask) == len(estate.table(kind.name))


def test_what_is_twenty_two_of_which_unit_matters(estate: Estate):
    assert found(estate, f"free>{54 * TIB - 1}", "pool") == [12]
    assert found(estate, f"free>={54 * TIB // TB}TB", "pool") == [12]
