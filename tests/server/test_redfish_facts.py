from datetime import UTC, datetime, timedelta

import pytest

from keelmark.estate.documents import ArrayDocument
from keelmark.feeds.errors import AnswerError
from keelmark.feeds.redfish.facts import Facts
from keelmark.feeds.redfish.implied import add_implied_pools, usable_drives
from keelmark.feeds.redfish.resource import link_of, name_of, uid_of

NOW = datetime(2026, 11, 23, 8, tzinfo=UTC)
POOL_PATH = "/redfish/v1/Storage/h/StoragePools/p"


def make_facts() -> Facts:
    array = ArrayDocument(uid="serial.H1", name="heron-1", read_at=NOW)
    return Facts(url="http://127.0.0.1:9", read_at=NOW, array=array)


def pool(**changes):
    known = {
        "@odata.id": POOL_PATH,
        "Id": "p",
        "Name": "swift-1",
        "Identifiers": [{"DurableNameFormat": "UUID", "DurableName": "AA-BB"}],
        "Capacity": {"Data": {"AllocatedBytes": 1000, "ConsumedBytes": 400}},
        "Links": {"DefaultClassOfService": {"@odata.id": "/x/ClassesOfService/Swift/"}},
    }
    return known | changes


def volume(**changes):
    known = {
        "@odata.id": "/redfish/v1/Storage/h/Volumes/v",
        "Id": "v",
        "Name": "seabed-1",
        "Identifiers": [{"DurableNameFormat": "NAA", "DurableName": "0x3ABC"}],
        "CapacityBytes": 300,
        "Capacity": {"Data": {"ConsumedBytes": 100}},
        "ProvisioningPolicy": "Thin",
        "Links": {"ClientEndpoints": []},
    }
    return known | changes


def drive(**changes):
    known = {"@odata.id": "/d", "Id": "7", "Name": "drive-7", "SerialNumber": "S 7",
             "CapacityBytes": 50, "MediaType": "SSD"}  # fmt: skip
    return known | changes


@pytest.fixture
def facts():
    made = make_facts()
    made.add_pool(pool())
    return made


def test_a_pool_is_taken_with_its_books_class_and_name(facts):
    told = facts.pools[POOL_PATH]
    assert (told.uid, told.name, told.service_class) == ("uuid.aa-bb", "swift-1", "Swift")
    assert (told.usable_bytes, told.used_bytes, told.provisioned_bytes) == (1000, 400, None)


@pytest.mark.parametrize(
    ("data", "told"),
    [
        ({}, "no Capacity.Data.AllocatedBytes"),
        ({"AllocatedBytes": 10}, "no Capacity.Data.ConsumedBytes"),
    ],
)
def test_a_pool_without_its_books_is_left_out_and_told(data, told):
    facts = make_facts()
    facts.add_pool(pool(Capacity={"Data": data}))
    assert facts.pools == {}
    assert told in facts.warnings[0]


@pytest.mark.parametrize("capacity", [None, [], "much", {"Data": None}, {"Data": 7}])
def test_a_capacity_of_another_shape_is_no_crash(capacity):
    facts = make_facts()
    facts.add_pool(pool(Capacity=capacity))
    assert len(facts.warnings) == 1


@pytest.mark.parametrize("amount", [-1, 2**63, "much", True, float("nan"), float("inf")])
def test_impossible_books_of_a_pool_end_the_collection(amount):
    data = {"AllocatedBytes": 1000, "ConsumedBytes": amount}
    with pytest.raises(AnswerError, match="pool swift-1, ConsumedBytes is"):
        make_facts().add_pool(pool(Capacity={"Data": data}))


def test_a_pool_without_a_worldwide_name_goes_by_where_it_stands():
    facts = make_facts()
    facts.add_pool(pool(Identifiers=None, Name="swift 1/ä"))
    assert facts.pools[POOL_PATH].uid == "path.H1:/redfish/v1/Storage/h/StoragePools/p"


def test_a_volume_is_taken_with_its_pool(facts):
    facts.add_volume(volume(), pool_path=POOL_PATH)
    told = facts.volumes[0]
    assert (told.uid, told.pool_uid) == ("naa.3abc", "uuid.aa-bb")
    assert (told.size_bytes, told.written_bytes) == (300, 100)
    assert (told.provisioning, told.is_mapped) == ("thin", False)


@pytest.mark.parametrize(
    ("changes", "field", "wanted"),
    [
        ({"CapacityBytes": None, "Capacity": {"Data": {"ProvisionedBytes": 9}}}, "size_bytes", 9),
        ({"Capacity": None}, "written_bytes", None),
        ({"ProvisioningPolicy": "Fixed"}, "provisioning", "thick"),
        ({"ProvisioningPolicy": "Someday"}, "provisioning", None),
        ({"Links": None}, "is_mapped", None),
        ({"Links": {"ClientEndpoints": [{"@odata.id": "/e"}]}}, "is_mapped", True),
        ({"Identifiers": []}, "uid", "path.H1:/redfish/v1/Storage/h/Volumes/v"),
        ({"Name": None}, "name", "v"),
    ],
)
def test_what_a_volume_leaves_out_is_unknown(facts, changes, field, wanted):
    facts.add_volume(volume(**changes), pool_path=POOL_PATH)
    assert getattr(facts.volumes[0], field) == wanted


@pytest.mark.parametrize(
    ("changes", "pool_path", "told"),
    [
        ({}, "/elsewhere", "no known pool"),
        ({}, None, "no known pool"),
        ({"CapacityBytes": None, "Capacity": None}, POOL_PATH, "no CapacityBytes"),
        ({"CapacityBytes": -3}, POOL_PATH, "-3"),
    ],
)
def test_a_volume_that_cannot_be_placed_is_left_out_and_told(facts, changes, pool_path, told):
    facts.add_volume(volume(**changes), pool_path=pool_path)
    assert facts.volumes == []
    assert told in facts.warnings[0]


@pytest.mark.parametrize(
    ("written", "told"), [(1001, "its pool has 1000 B"), (-1, "-1"), ("x", "not a number")]
)
def test_an_impossible_written_figure_is_unknown_and_told(facts, written, told):
    facts.add_volume(volume(Capacity={"Data": {"ConsumedBytes": written}}), pool_path=POOL_PATH)
    assert facts.volumes[0].written_bytes is None
    assert told in facts.warnings[0]


@pytest.mark.parametrize(
    ("changes", "role"),
    [
        ({}, "unpooled"),
        ({"Links": {"StoragePools": [{"@odata.id": POOL_PATH}]}}, "pooled"),
        ({"HotspareType": "Global"}, "spare"),
        ({"HotspareType": "None"}, "unpooled"),
        ({"Oem": {"Any": {"Role": "System"}}}, "system"),
        ({"Status": {"Health": "Critical"}}, "failed"),
    ],
)
def test_a_drive_plays_the_role_its_properties_say(facts, changes, role):
    facts.add_drive(drive(**changes))
    told = facts.drives[0]
    assert (told.role, told.uid, told.media) == (role, "serial.S-7", "ssd")
    assert (told.pool_uid is not None) == (role == "pooled")


@pytest.mark.parametrize(
    ("told", "wanted"),
    [
        (None, (None, None)),
        ({}, (None, None)),
        ({"Any": {"MinimumIOPS": 400, "MaximumIOPS": 1_500}}, (400, 1_500)),
        ({"Any": {"MaximumIOPS": 1_500}}, (None, 1_500)),
        ({"Any": {"MaximumIOPS": -1}}, (None, None)),
        ({"One": "x", "Other": {"MinimumIOPS": 0}}, (0, None)),
    ],
)
def test_a_volume_is_set_to_what_its_maker_tells(facts, told, wanted):
    facts.add_volume(volume(Oem=told), pool_path=POOL_PATH)
    assert (facts.volumes[0].qos_min_iops, facts.volumes[0].qos_max_iops) == wanted


def test_a_drive_without_serial_goes_by_its_arrays(facts):
    facts.add_drive(drive(SerialNumber=None))
    assert facts.drives[0].uid == "path.H1:/d"


def test_a_drive_without_a_size_is_left_out_and_told(facts):
    facts.add_drive(drive(CapacityBytes=None))
    assert facts.drives == []
    assert "drive-7" in facts.warnings[0]


@pytest.mark.parametrize(
    ("identifiers", "wanted"),
    [
        (None, None),
        ("x", None),
        ([{"DurableNameFormat": "FC_WWN", "DurableName": "1"}], "wwn.1"),
        ([{"DurableNameFormat": "EUI", "DurableName": "0xAB"}], "eui.ab"),
        ([{"DurableNameFormat": "NGUID", "DurableName": "A:B"}], "nguid.a:b"),
        ([{"DurableNameFormat": "NAA"}, {"DurableNameFormat": "UUID", "DurableName": "C"}],
         "uuid.c"),
    ],
)  # fmt: skip
def test_the_first_known_durable_name_is_the_identity(identifiers, wanted):
    assert uid_of({"Identifiers": identifiers}) == wanted


def test_links_and_names_bear_any_shape():
    assert link_of({"A": {"B": {"@odata.id": "/x"}}}, "A", "B") == "/x"
    assert link_of({"A": [1]}, "A", "B") is None
    assert link_of({"A": {"@odata.id": 4}}, "A") is None
    assert name_of({"@odata.id": "/only/path"}) == "/only/path"
    assert len(name_of({"Name": "x" * 900})) == 200


@pytest.mark.parametrize(
    ("raid", "n_drives", "n_spans", "worth"),
    [
        ("RAID0", 3, None, 3), ("None", 1, None, 1), ("RAID1", 2, None, 1),
        ("RAID1", 3, None, None),
        ("RAID10", 6, None, 3), ("RAID10", 5, None, None), ("RAID5", 4, None, 3),
        ("RAID5", 2, None, None), ("RAID6", 8, None, 6), ("RAID6TP", 8, None, 5),
        ("RAID60", 16, 2, 12), ("RAID60", 16, None, None), ("RAID50", 9, 3, 6),
        ("RAID50", 10, 3, None), ("Strange", 4, None, None),
    ],
)  # fmt: skip
def test_what_a_raid_type_leaves_of_its_drives(raid, n_drives, n_spans, worth):
    assert usable_drives(raid, n_drives=n_drives, n_spans=n_spans) == worth


def laid(name, members, *, size=300, **told):
    links = {"Drives": [{"@odata.id": f"/d/{n}"} for n in members]}
    return volume(**{"@odata.id": f"/v/{name}", "Name": name, "Identifiers": [],
                     "CapacityBytes": size, "Capacity": {}, "Links": links} | told)  # fmt: skip


def test_volumes_on_drives_directly_make_a_pool_of_them():
    facts = make_facts()
    drives = [drive(**{"@odata.id": f"/d/{n}", "SerialNumber": f"S{n}", "CapacityBytes": 100 + n})
              for n in range(9)]  # fmt: skip
    volumes = [
        laid("a", range(6), size=200, RAIDType="RAID6"),
        laid("b", range(6), size=150, RAIDType="RAID6"),
        laid("c", (6, 7), size=106, VolumeType="Mirrored"),
    ]
    owners = add_implied_pools(facts, volumes=volumes, drives=drives)
    for one in volumes:
        facts.add_volume(one, pool_path=owners.get(one["@odata.id"]))
    for one in drives:
        facts.add_drive(one)
    told = {p.name: (p.usable_bytes, p.used_bytes, p.raid) for p in facts.pools.values()}
    assert told == {
        "RAID6 of 6 from drive-7": (400, 350, "RAID6"),
        "RAID1 of 2 from drive-7": (106, 106, "RAID1"),
    }
    assert len({pool.uid for pool in facts.pools.values()}) == 2
    assert [d.role for d in facts.drives] == ["pooled"] * 8 + ["unpooled"]
    assert {v.name for v in facts.volumes} == {"a", "b", "c"}
    assert facts.warnings == []


@pytest.mark.parametrize(
    ("volumes", "why"),
    [
        ([laid("a", ())], "drives are not told"),
        ([laid("a", (0, 1))], "RAID type is not told"),
        ([laid("a", (0, 1, 2), RAIDType="RAID1")], "is open"),
        ([laid("a", (0, 99), RAIDType="RAID1")], "/d/99 is not among"),
        ([laid("a", (0, 1), RAIDType="RAID1"), laid("b", (0, 1), RAIDType="RAID0")], "differ"),
        ([laid("a", (0, 1), RAIDType="RAID1"), laid("b", (1, 2), RAIDType="RAID1")], "other dri"),
        ([laid("a", (0, 1), RAIDType="RAID1", size=501)], "larger than RAID1 of 2"),
        ([laid("a", (0, 3), RAIDType="RAID1")], "has no size"),
    ],
)
def test_drives_that_do_not_say_enough_make_no_pool_and_volumes_lie_on_the_array(volumes, why):
    facts = make_facts()
    drives = [drive(**{"@odata.id": f"/d/{n}", "CapacityBytes": None if n == 3 else 500})
              for n in range(4)]  # fmt: skip
    owners = add_implied_pools(facts, volumes=volumes, drives=drives)
    for one in volumes:
        facts.add_volume(one, pool_path=owners.get(one["@odata.id"]), may_lack_pool=True)
    assert owners == {}
    assert any(why in warning for warning in facts.warnings)
    lie_on = {(v.name, v.pool_uid, v.array_uid) for v in facts.volumes}
    assert lie_on == {(v["Name"], None, facts.array.uid) for v in volumes}


def test_a_volume_of_an_array_with_pools_needs_one():
    facts = make_facts()
    facts.add_volume(laid("a", (0, 1)), pool_path=None)
    assert facts.volumes == []
    assert facts.warnings == ["Volume a left out: no known pool provides it."]


KEPT_UP = {"ReplicaType": "Mirror", "ReplicaRole": "Target", "ReplicaState": "Synchronized",
           "ReplicaUpdateMode": "Synchronous",
           "Replica": {"@odata.id": "/redfish/v1/Storage/h/Volumes/s"}}  # fmt: skip
EARLIER = NOW - timedelta(hours=2)


@pytest.mark.parametrize(
    ("told", "at"),
    [
        ({}, NOW),
        ({"ReplicaUpdateMode": "Active"}, NOW),
        ({"WhenSynced": EARLIER.isoformat()}, EARLIER),
        ({"WhenSynced": (NOW + timedelta(hours=1)).isoformat()}, NOW),  # its clock is ahead
        ({"WhenSynced": "2026-11-23T06:00:00"}, None),  # of nobody knows which zone
        ({"ReplicaUpdateMode": "Asynchronous"}, None),
        ({"ReplicaState": "Broken"}, None),
        ({"ReplicaRole": "Source"}, None),
        ({"Replica": {}}, None),
        ({"Replica": {}, "RemoteSourceReplica": "http://127.0.0.1:8/redfish/v1/x"}, NOW),
        ({"ReplicaType": "Clone"}, None),
    ],
)
def test_a_mirror_tells_when_it_last_held_what_its_volume_holds(facts, told, at):
    facts.add_volume(volume(ReplicaInfo=KEPT_UP | told), pool_path=POOL_PATH)
    assert [one.ended_at for one in facts.copies] == ([] if at is None else [at])
    assert all(one.method == "replication" for one in facts.copies)


def test_both_ends_of_a_mirror_are_known_by_their_addresses(facts):
    facts.add_volume(
        volume(RemoteReplicaTargets=["http://127.0.0.1:8/redfish/v1/x"]), pool_path=POOL_PATH
    )
    facts.add_volume(
        volume(**{"@odata.id": "/redfish/v1/x", "Identifiers": []}, ReplicaInfo={
            **KEPT_UP, "Replica": {}, "RemoteSourceReplica":
            "http://127.0.0.1:9/redfish/v1/Storage/h/Volumes/v"}), pool_path=POOL_PATH,
    )  # fmt: skip
    assert facts.copies[0].of_uid in facts.volumes[0].also
