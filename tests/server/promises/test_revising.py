"""Policies are tried and revised: who breaks, where it would go, and what that takes."""

from datetime import timedelta

import numpy as np
import pytest

from keelmark.access.models import AuditEntry
from keelmark.compliance.models import Revision
from keelmark.core.performance import PARTS, STEPS_A_DAY
from keelmark.core.units import GIB, MIB, TIB
from keelmark.estate.documents import (
    MeasuresDocument,
    PoolDocument,
    SnapshotDocument,
    VirtualDiskDocument,
    VolumeDocument,
)
from keelmark.readings.performance.packing import take_packed
from tests.server.cluster import about, tell
from tests.server.conftest import NOW
from tests.server.promises.promising import COPY, ENCRYPTED, FLASH, drawn_up, drive, promised


def test_a_draft_is_tried_before_it_is_a_revision(api, estate):
    tell(drive(media="hdd"))
    policy = drawn_up(api, {"kind": "media", "told": {"media": "hdd"}})
    promised(api, policy, estate["uuid.v1"], estate["uuid.v2"])
    told = api.send("POST", "/compliance/tries", policy_id=policy["id"], rules=[FLASH]).json()
    assert told["faults"] == []
    told = told["impact"]
    assert (told["before"], told["after"]) == ({"met": 2}, {"broken": 2})
    assert (told["n_breaks"], told["n_mends"]) == (2, 0)
    assert {one["id"] for one in told["breaks"]} == {estate["uuid.v1"], estate["uuid.v2"]}
    assert told["by_rule"] == {"media": 2}
    assert (told["n_places"], told["rejections"]) == (
        0,
        [{"kind": "media", "n": 1, "n_alone": 1, "nearest": None}],
    )
    needs = told["needs"]  # both have a disk of 500 GiB, and no pool is of flash
    assert (needs["n_disks"], needs["used_bytes"]) == (2, 1_000 * GIB)
    assert (needs["room_bytes"], needs["fits"], needs["iops"]) == (0, False, None)
    assert (needs["n_uncounted"], told["quiet"]) == (2, None)
    assert (needs["n_left"], needs["places"], told["beside"]) == (2, [], None)
    same = api.send(
        "POST", "/compliance/tries", rules=[{"kind": "media", "told": {"media": "hdd"}}]
    ).json()["impact"]
    assert [one["id"] for one in same["places"]] == [estate["uuid.p"]]
    assert same["needs"] is None
    assert Revision.objects.count() == 1


def test_a_policy_is_revised_under_its_version_and_keeps_what_it_was(api, estate):
    policy = drawn_up(api, FLASH)
    path = f"/compliance/policies/{policy['id']}/revisions"
    first = {"rules": [FLASH, ENCRYPTED], "note": "audit of spring"}
    made = api.send("POST", path, seen=f'"{policy["version"]}"', **first)
    assert (made.status_code, made.json()["newest"]["number"]) == (201, 2)
    assert [one["wants"] for one in made.json()["newest"]["rules"]] == ["flash", "encrypted"]
    late = api.send("POST", path, seen=f'"{policy["version"]}"', rules=[ENCRYPTED])
    assert late.status_code == 412
    told = api.get(f"/compliance/policies/{policy['id']}").json()
    assert [(one["number"], one["note"]) for one in told] == [(2, "audit of spring"), (1, "")]
    actions = AuditEntry.objects.filter(subject_kind="policy").order_by("pk")
    assert [one.action for one in actions] == ["draw up policy", "revise policy"]


def test_a_rule_that_rejects_every_pool_names_the_one_that_misses_it_by_the_least(api, estate):
    tell(*(
        PoolDocument(uid=f"uuid.p{n}", array_uid="serial.h", name=f"swift-{n}", read_at=NOW,
                     usable_bytes=10 * TIB, used_bytes=TIB, provisioned_bytes=promised * TIB)
        for n, promised in ((7, 18), (8, 13), (9, 25))
    ), *(
        VolumeDocument(uid=f"naa.{n}", pool_uid=f"uuid.p{n}", name=f"v{n}", size_bytes=TIB,
                       read_at=NOW)
        for n in (7, 8, 9)
    ))  # fmt: skip
    rule = {"kind": "overcommit", "told": {"ceiling_percent": 100}}
    told = api.send("POST", "/compliance/tries", policy_id=None, rules=[rule]).json()["impact"]
    rejected = next(one for one in told["rejections"] if one["kind"] == "overcommit")
    assert (rejected["nearest"]["name"], rejected["nearest"]["home_name"]) == ("swift-8", "heron-1")
    assert rejected["nearest"]["found"] == "130 %"


def test_what_breaks_tells_where_it_would_go(api, estate):
    policy = drawn_up(api, {"kind": "media", "told": {"media": "hdd"}})
    promised(api, policy, estate["uuid.v1"], estate["uuid.v2"])
    tell(
        drive(media="hdd"),
        *(
            PoolDocument(uid=f"uuid.f{n}", array_uid="serial.h", name=f"flash-{n}", read_at=NOW,
                         usable_bytes=1000 * GIB, used_bytes=(1000 - left) * GIB)
            for n, left in ((1, 700), (2, 300))
        ),
        *(drive(uid=f"serial.f{n}", pool=f"uuid.f{n}") for n in (1, 2)),
        *(
            VolumeDocument(uid=f"naa.f{n}", pool_uid=f"uuid.f{n}", name=f"f{n}", size_bytes=TIB,
                           read_at=NOW)
            for n in (1, 2)
        ),
    )  # fmt: skip
    told = api.send("POST", "/compliance/tries", policy_id=policy["id"], rules=[FLASH]).json()
    needs = told["impact"]["needs"]  # two of 500 GiB, and 600 and 200 under the limit marks
    assert (needs["fits"], needs["n_left"], needs["n_places"]) == (False, 1, 1)
    (place,) = needs["places"]
    assert (place["name"], place["n_disks"], place["used_bytes"]) == ("flash-1", 1, 500 * GIB)
    assert needs["least_seconds"] is None  # nobody tells what the array sustains
    tell(
        about("serial.h", sustainable_bytes_per_second=3 * GIB),
        MeasuresDocument(uid="serial.h", measure="throughput", amounts=[GIB],
                         first_on=NOW.date() - timedelta(days=1)),
    )  # fmt: skip
    told = api.send("POST", "/compliance/tries", policy_id=policy["id"], rules=[FLASH]).json()
    assert told["impact"]["needs"]["least_seconds"] == 500  # read and written on the same array


@pytest.mark.parametrize(
    ("rule", "field", "n_bytes"),
    [
        (COPY, "copy_bytes", 500 * GIB),
        ({"kind": "provisioning", "told": {"form": "thick"}}, "thick_bytes", 524 * GIB),
        # what is written in two days, and of very many days all that is used
        ({"kind": "kept", "told": {"for_days": 2}}, "snapshot_bytes", MIB * 86_400 * 2),
        ({"kind": "kept", "told": {"for_days": 900}}, "snapshot_bytes", 500 * GIB),
    ],
)
def test_what_a_draft_takes_beside_what_moves(api, estate, rule, field, n_bytes):
    tell(
        drive(),
        VirtualDiskDocument(uid="path.v1:a", name="sonar-1-a", vm_uid="uuid.v1",
                            datastore_uid="uuid.s", size_bytes=1024 * GIB, provisioning="thin",
                            on_array_bytes=500 * GIB, path="/s/1", read_at=NOW),
        VolumeDocument(uid="naa.c", pool_uid="uuid.p", name="other", size_bytes=TIB, read_at=NOW),
        VolumeDocument(uid="naa.d", pool_uid="uuid.p", name="its copy", size_bytes=TIB,
                       read_at=NOW),
        about("naa.c", replicated_to=["naa.d"]),  # somebody tells of copies, and of snapshots
        SnapshotDocument(uid="id.snap", name="snap", of_uid="naa.c", taken_at=NOW, read_at=NOW),
    )  # fmt: skip
    steps = np.full((1, len(PARTS), STEPS_A_DAY), np.nan, dtype=np.float32)
    steps[:, [PARTS.index("read_iops"), PARTS.index("write_iops")]] = 1
    steps[:, PARTS.index("write_bytes_per_second")] = MIB
    take_packed(NOW.date() - timedelta(days=1), ids=np.array([estate["path.v1:a"]]), steps=steps)
    policy = drawn_up(api, FLASH)
    promised(api, policy, estate["uuid.v1"])
    told = api.send("POST", "/compliance/tries", policy_id=policy["id"], rules=[FLASH, rule])
    beside = told.json()["impact"]["beside"]
    names = {"copy_bytes", "thick_bytes", "snapshot_bytes"}
    assert beside[field] == n_bytes
    assert all(beside[name] is None for name in names - {field})
    assert (beside["copy_room_bytes"] > 0) is True
