"""The facts that rules judge by, out of the estate: drives, RAID, mirror sides, labels, ages."""

from dataclasses import replace

import numpy as np
import pytest

from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import read
from keelmark.core.policy.facts import Media
from keelmark.core.policy.of_estate import MOST_OF_RAID, Freshness, facts_of
from keelmark.core.policy.rules import Survives
from keelmark.core.policy.states import BROKEN, MET, UNPROVEN, VERDICTS
from tests.core.estates import TODAY, make_estate

NOW = TODAY * 1440.0
ARRAY, POOL, SHARED = 10, 20, 21


def drives(*told, pool=POOL, **facts):
    """Drives of a pool by role and media."""
    return [
        {"id": 300 + pool * 10 + at, "pool": pool, "array": ARRAY, "role": role, "media": media}
        | facts
        for at, (role, media) in enumerate(told)
    ]


def facts(*, fresh=None, pairs=None, **rows):
    known = {
        "site": [{"id": 1, "name": "Skerry"}],
        "array": [{"id": ARRAY, "site": 1}],
        "host": [{"id": 60}],
        "cluster": [{"id": 40}],
        "pool": [{"id": POOL, "array": ARRAY, "site": 1, "read": TODAY}],
    }
    made = make_estate(pairs=pairs, **(known | rows))
    return facts_of(read(made, day=TODAY), now=NOW, fresh=fresh or {})


def pool(**facts):
    return {"id": POOL, "array": ARRAY, "site": 1, "read": TODAY} | facts


@pytest.mark.parametrize(
    ("raid", "failed", "losses"),
    [
        ("RAID6", 0, 2), ("RAID6", 1, 1), ("RAID6", 2, 0), ("RAID6", 3, 0), ("RAID1", 0, 1),
        ("RAID 5", 0, 1), ("RAID-10", 0, 1), ("RAID0", 0, 0), ("None", 0, 0),
        ("erasure", 0, np.nan), (None, 0, np.nan), (None, 1, np.nan),
    ],
)  # fmt: skip
def test_a_pool_survives_what_its_raid_does_less_what_failed(raid, failed, losses):
    roles = ["pooled"] * 4 + ["failed"] * failed
    told = facts(pool=[pool(raid=raid)], drive=drives(*((role, "ssd") for role in roles)))
    np.testing.assert_array_equal(told.pools.device_losses, [losses])
    np.testing.assert_array_equal(told.pools.most_device_losses, [losses])


@pytest.mark.parametrize(
    ("media", "told"),
    [
        (("ssd", "ssd"), Media.SSD), (("hdd",), Media.HDD), (("ssd", "hdd"), Media.SSD | Media.HDD),
        ((None,), 0), (("tape",), 0), ((), 0),
    ],
)  # fmt: skip
def test_a_pool_is_of_what_its_drives_are(media, told):
    found = facts(drive=drives(*(("pooled", one) for one in media)))
    assert found.pools.media.tolist() == [told]


@pytest.mark.parametrize(
    ("sides", "lost", "below", "least", "most"),
    [
        (2, 0, "RAID6", 5, 5),  # each side takes three losses, the bytes go with the last
        (2, 1, "RAID6", 2, 2),
        (2, 2, "RAID6", 0, 0),
        (2, 0, None, 1, 2 * (MOST_OF_RAID + 1) - 1),
        (2, 1, None, 0, MOST_OF_RAID),
    ],
)
def test_a_mirror_survives_until_its_last_side_is_gone(sides, lost, below, least, most):
    made = make_estate(
        pairs={"backings": [(SHARED, 30), (SHARED, 31)]},
        array=[{"id": ARRAY}],
        pool=[pool(raid=below), {"id": SHARED, "cluster": 40, "read": TODAY}],
        volume=[{"id": at, "pool": POOL} for at in (30, 31)],
        cluster=[{"id": 40}],
        drive=drives(("pooled", "ssd")),
    )
    table = made.table("pool")
    amounts = {"sides": sides, "lost_sides": lost}
    columns = {
        name: replace(
            table.amounts("size"), values=np.array([0, n]), is_known=np.array([False, True])
        )
        for name, n in amounts.items()
    }
    tables = {**made.tables, "pool": replace(table, columns={**table.columns, **columns})}
    told = facts_of(read(replace(made, tables=tables), day=TODAY), now=NOW).pools
    assert (told.device_losses[1], told.most_device_losses[1]) == (least, most)
    assert told.media[1] == Media.SSD  # as what lies under it


@pytest.mark.parametrize(
    ("where", "losses", "state"),
    [
        ({}, np.inf, MET),  # no host carries what an array does
        ({"cluster": 40}, np.nan, UNPROVEN),
        ({"array": None}, np.nan, UNPROVEN),
        ("drives in hosts", np.nan, UNPROVEN),
    ],
)
def test_only_what_hosts_carry_is_lost_with_them(where, losses, state):
    is_in_hosts = where == "drives in hosts"
    told = facts(
        pool=[pool(**({} if is_in_hosts else where))],
        drive=drives(("pooled", "ssd"), **({"host": 60} if is_in_hosts else {})),
        volume=[{"id": 30, "pool": POOL, "read": TODAY}],
    )
    np.testing.assert_array_equal(told.pools.host_losses, [losses])
    rule = Survives(n_hosts=2)
    found = rule.found_of(told, kind="volume")
    assert found.states.tolist() == [state]
    if state == MET:
        assert rule.says(VERDICTS[MET], float(found.amounts[0])) == "no host carries it"


@pytest.mark.parametrize(("n", "state"), [(1, MET), (2, MET), (3, BROKEN)])
def test_drives_are_asked_for_beside_hosts(n, state):
    told = facts(
        pool=[pool(raid="RAID6")], drive=drives(("pooled", "ssd")),
        volume=[{"id": 30, "pool": POOL, "read": TODAY}],
    )  # fmt: skip
    rule = Survives(n_devices=n, n_hosts=1)
    found = rule.found_of(told, kind="volume")
    assert found.states.tolist() == [state]
    assert rule.says(VERDICTS[int(found.states[0])], float(found.amounts[0])) == (
        "survives 2 now" if state == MET else "survives at most 2 now"
    )


@pytest.mark.parametrize(
    ("read_days_ago", "allowed", "is_silent", "is_stale"),
    [
        (0, 1, False, False), (1, 1, False, False), (2, 1, False, True), (2, 5, False, False),
        (0, 5, True, True), (None, 5, False, True),
    ],
)  # fmt: skip
def test_what_is_older_than_its_feed_may_be_is_stale(read_days_ago, allowed, is_silent, is_stale):
    at = None if read_days_ago is None else TODAY - read_days_ago
    told = facts(
        pool=[pool(read=at)],
        fresh={
            "pool": Freshness(allowed_days=np.array([allowed]), is_silent=np.array([is_silent]))
        },
    )
    assert told.pools.is_stale.tolist() == [is_stale]


def test_labels_are_told_one_by_one_and_who_lies_where():
    told = facts(
        vm=[{"id": 80, "labels": "copy:ledger team:books"}, {"id": 81, "labels": "team:books"}],
        disk=[{"id": 90, "vm": 80, "datastore": 50}, {"id": 91, "vm": 7, "datastore": 7}],
        datastore=[{"id": 50}],
    )
    labels = told.labels["vm"]
    assert {name: rows.tolist() for name, rows in labels.items()} == {
        "copy:ledger": [True, False],
        "team:books": [True, True],
    }
    assert told.disks.vm.tolist() == [0, NOWHERE]
    assert told.disks.store.tolist() == [0, NOWHERE]
