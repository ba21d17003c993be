"""An estate of every layer, a move of every kind on it, and what comes of moves."""

from dataclasses import replace
from typing import Any

from hypothesis import strategies as st

from keelmark.core.estate.reading import read
from keelmark.core.scenario.compiling import Compiled, Dated, compiled
from keelmark.core.scenario.moves import move_of
from keelmark.core.scenario.plan import read_with
from keelmark.core.units import GIB, TIB
from tests.core.estates import TODAY, make_estate
from tests.core.test_plan import outlooks_of

POOLS, VOLUMES, STORES, DISKS, VMS = (
    (20, 21, 22),
    (30, 31, 32),
    (50, 51, 52),
    (90, 91, 92),
    (80, 81),
)
LATER = TODAY + 40
PACE = 0.02 * TIB  # a day, of everything here


def layered():
    """Disks on datastores on volumes of three pools, two of one array; the last pool is empty."""
    made = make_estate(
        pairs={
            "extents": [(50, 30), (51, 31), (52, 32)], "replicas": [(32, 33)],
            "backings": [(23, 34), (23, 35)], "seen_by": [(50, 41), (50, 42), (51, 46)],
        },
        site=[{"id": 1, "name": "Skerry"}],
        array=[{"id": 10, "site": 1, "name": "heron-1"}, {"id": 11, "site": 1, "name": "avocet-2"}],
        pool=[
            {"id": 20, "array": 10, "site": 1, "name": "swift-1", "size": 40 * TIB,
             "used": 20 * TIB, "promised": 30 * TIB, "class": "Swift"},
            {"id": 21, "array": 11, "site": 1, "name": "steady-1", "size": 60 * TIB,
             "used": 10 * TIB, "promised": 20 * TIB, "class": "Steady"},
            {"id": 22, "array": 10, "site": 1, "name": "deep-1", "size": 80 * TIB, "used": 0,
             "promised": 0},
            {"id": 23, "site": 1, "name": "shared", "size": 4 * TIB, "used": TIB,
             "promised": TIB, "sides": 2},
        ],
        volume=[
            {"id": 30, "pool": 20, "array": 10, "name": "v1", "size": 9 * TIB, "used": 5 * TIB,
             "snapshots": TIB},
            {"id": 31, "pool": 20, "array": 10, "name": "v2", "size": 9 * TIB, "used": 4 * TIB},
            {"id": 32, "pool": 21, "array": 11, "name": "v3", "size": 9 * TIB, "used": 2 * TIB,
             "thickness": "thick"},
            {"id": 33, "pool": 20, "array": 10, "name": "v3-mirror", "size": 9 * TIB,
             "used": 2 * TIB},
            {"id": 34, "pool": 20, "array": 10, "name": "side-a", "size": 4 * TIB, "used": TIB,
             "side": "a"},
            {"id": 35, "pool": 21, "array": 11, "name": "side-b", "size": 4 * TIB, "used": TIB,
             "side": "b", "backs_tier": "warm"},
        ],
        cluster=[{"id": 40, "site": 1, "name": "kelp"}, {"id": 45, "site": 1, "name": "wrack"}],
        host=[{"id": pk, "cluster": of, "cpus": 32, "memory": 512 * GIB}
              for pk, of in ((41, 40), (42, 40), (46, 45), (47, 45))],
        datastore=[{"id": pk, "cluster": 40, "name": f"store-{pk}", "size": 9 * TIB,
                    "used": 4 * TIB, "promised": 6 * TIB} for pk in STORES],
        tenant=[{"id": 70, "name": "Tide Gauges", "quota": 9 * TIB}],
        vm=[{"id": pk, "cluster": 40, "tenant": 70, "power": "off", "cpus": 4,
             "memory": 16 * GIB} for pk in VMS],
        disk=[
            {"id": 90, "vm": 80, "tenant": 70, "datastore": 50, "size": 2 * TIB, "used": TIB},
            {"id": 91, "vm": 80, "tenant": 70, "datastore": 51, "size": 2 * TIB, "used": TIB},
            {"id": 92, "vm": 81, "tenant": 70, "datastore": 52, "size": TIB, "used": 300 * GIB},
        ],
        snapshot=[{"id": 95, "vm": 80, "used": 100 * GIB}],
        file=[{"id": 97, "datastore": 50, "size": 50 * GIB}],
        account=[{"id": 98, "name": "satellite", "quota": 6 * TIB}],
        bucket=[{"id": 99, "account": 98, "name": "passes", "used": 2 * TIB, "hot": TIB,
                 "warm": TIB}],
    )  # fmt: skip
    kinds = ("pool", "volume", "datastore", "disk", "bucket")
    return replace(
        made, outlooks={kind: outlooks_of(made.table(kind).amounts("used")) for kind in kinds}
    )


ESTATE = layered()
DISK = {"size_bytes": TIB, "written_percent": 50, "bytes_a_week": 7 * GIB}
FIELDS: dict[str, dict[str, Any]] = {
    "free": {"what": [80]},
    "migrate": {"what": [90], "to": 52},
    "place": {"name": "sonar", "n_vms": 3, "disks": [DISK], "to": 22, "cluster": 40},
    "clone": {"vm": 81, "n_copies": 4, "sharing": "sharing"},
    "change_growth": {"thing": 21, "bytes_a_week": 70 * GIB},
    "new_datastore": {"pool": 22, "cluster": 40, "name": "deep-new", "size_bytes": 4 * TIB},
    "extend_datastore": {"datastore": 50, "added_bytes": TIB},
    "mount": {"datastore": 51, "cluster": 45},
    "extend_pool": {"pool": 20, "added_bytes": 8 * TIB, "cost": 900},
    "new_array": {"site": 1, "name": "curlew-1", "sustains": 50_000, "n_ports": 8},
    "new_pool": {"array": 11, "name": "swift-9", "usable_bytes": 30 * TIB},
    "add_hosts": {"cluster": 40, "n_hosts": 2, "n_cpus": 64, "memory_bytes": TIB, "cost": 5},
    "remove_hosts": {"hosts": [41]},
    "retire": {"place": 22},
    "set_quota": {"of": 70, "quota_bytes": 20 * TIB},
    "clone_volume": {"volume": 30, "n_copies": 36, "name": "golden", "diverges_percent": 5},
    "resize": {"what": [80, 92], "size_percent": 150},
    "take_snapshots": {"what": [30, 52], "every_hours": 6, "kept_days": 4},
    "move_side": {"pool": 23, "side": "b", "to": 22},
    "allot": {"pool": 20, "tenant": 70, "allotted_bytes": 3 * TIB, "min_iops": 500},
    "mirror": {"what": [30, 31], "to": 21},
    "end_mirror": {"what": [32]},
    "revise_tier": {"tier": "Neap", "min_iops": 100, "max_iops": 3_000},
    "set_limits": {"what": [30, 32], "max_iops": 3_000},
    "name_tier": {"what": [90, 80], "tier": "Slack"},
    "promise_policy": {"what": [30, 80], "policy": "Twice-kept"},
    "place_objects": {"bucket": 99, "tier": "hot", "first_bytes": TIB, "bytes_a_week": 7 * GIB},
}


def dated(kind: str, *, number: int = 1, day: int = TODAY + 7, is_off: bool = False, **fields):
    told = {**FIELDS[kind], **fields}
    return Dated(number=number, day=day, move=move_of(kind, told), is_off=is_off)


def after(*moves: Dated) -> Compiled:
    told = compiled(ESTATE, moves)
    assert not told.is_barred, [one.faults for one in told.told]
    return told


def reading(told: Compiled, day: int = LATER):
    return read_with(told.estate, told.plan, day=day)


def used(books, kind: str, place: int) -> int:
    return int(books.books[kind].used.values[place])


def more(told: Compiled, kind: str, place: int, *, day: int = LATER) -> int:
    """By how many bytes a thing holds more than without the moves."""
    return used(reading(told, day), kind, place) - used(read(ESTATE, day=day), kind, place)


moves = st.builds(
    lambda kind, day, what: (kind, day, what),
    st.sampled_from(sorted(FIELDS)), st.integers(TODAY, TODAY + 50),
    st.sampled_from([{}, {}, {"is_off": True}]),
)  # fmt: skip


def scenario(some) -> list[Dated]:
    return [dated(kind, number=at, day=day, **what) for at, (kind, day, what) in enumerate(some, 1)]
