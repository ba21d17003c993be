"""Single properties of resources, read of whatever shape an array sends."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.units import MAX_BYTES
from keelmark.estate.documents import ArrayDocument, decoder, to_line
from keelmark.feeds.redfish import resource
from keelmark.feeds.redfish.facts import Facts
from tests.conftest import NOW

scalars = st.one_of(
    st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=8),
    st.sampled_from(["NAA", "UUID", "Thin", "Fixed", "Snapshot", "Mirror", "Critical", "System"]),
)  # fmt: skip
KEYS = [
    "@odata.id", "Name", "Id", "Identifiers", "DurableName", "DurableNameFormat", "Capacity",
    "Data", "ConsumedBytes", "Snapshot", "Links", "DefaultClassOfService", "ProvisioningPolicy",
    "Encrypted", "PoolType", "SupportedRAIDTypes", "Oem", "MinimumIOPS", "MaximumIOPS", "Role",
    "Status", "Health", "HotspareType", "ReplicaInfo", "ReplicaType", "ReplicaTargets",
    "RemoteReplicaTargets", "RemoteSourceReplica", "TidalWorks", "CapacityBytes", "Replica",
    "WhenSynced", "ClientEndpoints", "StoragePools", "Chassis", "SerialNumber", "MediaType",
    "IOStatistics", "ReadIORequests", "CurrentSpeedGbps", "FibreChannel", "WWPN", "LinkStatus",
    "PortProtocol", "NumberDiscoveredRemotePorts",
]  # fmt: skip
shapes = st.recursive(
    scalars,
    lambda inner: st.one_of(
        st.lists(inner, max_size=3), st.dictionaries(st.sampled_from(KEYS), inner, max_size=5)
    ),
    max_leaves=16,
)
nested = st.one_of(shapes, st.lists(shapes, min_size=1, max_size=2), st.dictionaries(
    st.sampled_from(KEYS), shapes, min_size=1, max_size=3))  # fmt: skip
resources = st.fixed_dictionaries({}, optional=dict.fromkeys(KEYS, nested))


@given(told=resources)
def test_no_shape_stops_a_collection(told):
    assert isinstance(resource.path_of(told), str)
    assert isinstance(resource.name_of(told), str)
    assert len(resource.name_of(told)) <= 200
    assert isinstance(resource.uid_of(told), str | None)
    assert isinstance(resource.link_of(told, "Links", "DefaultClassOfService"), str | None)
    assert isinstance(resource.class_of(told), str | None)
    assert resource.provisioning_of(told) in ("thin", "thick", None)
    assert resource.truth_in(told, "Encrypted") in (True, False, None)
    assert isinstance(resource.snapshot_bytes_of(told), int | None)
    assert isinstance(resource.first_text_in(told.get("SupportedRAIDTypes")), str | None)
    assert resource.backing_of(told) in ("raid", None)
    assert all(isinstance(one, int | None) for one in resource.limits_of(told))
    assert isinstance(resource.maker_of_limits(told), str)
    assert resource.role_of(told, is_pooled=False) in ("failed", "spare", "system", "unpooled")
    assert isinstance(resource.targets_of(told, url="http://heron.test"), list | None)
    assert isinstance(resource.is_mirror(told), bool)


@given(told=resources, name=st.sampled_from(KEYS))
def test_an_amount_is_told_or_what_is_wrong_with_it_never_both(told, name):
    amount, fault = resource.amount_in(told, name)
    assert amount is None or fault == ""
    if amount is not None:
        assert 0 <= amount <= MAX_BYTES
    if told.get(name) is None:
        assert (amount, fault) == (None, "")
    elif amount is None:
        assert name in fault


@pytest.mark.parametrize(
    ("identifiers", "uid"),
    [
        ([{"DurableNameFormat": "NAA", "DurableName": "0x3AbC"}], "naa.3abc"),
        ([{"DurableNameFormat": "NAA", "DurableName": "3a b/c"}], "naa.3a-b-c"),
        ([{"DurableNameFormat": "odd", "DurableName": "x"},
          {"DurableNameFormat": "UUID", "DurableName": "U-1"}], "uuid.u-1"),
        ([{"DurableNameFormat": "NQN", "DurableName": "nqn.x"}], "iqn.nqn.x"),
        ([{"DurableNameFormat": "NAA", "DurableName": ""}], None),
        ([{"DurableNameFormat": "NAA"}], None),
        ([], None),
        (None, None),
        ("NAA", None),
        (["NAA", None, 3], None),
    ],
)  # fmt: skip
def test_a_worldwide_name_is_told_in_the_best_form(identifiers, uid):
    assert resource.uid_of({"Identifiers": identifiers}) == uid


@pytest.mark.parametrize(
    ("told", "amount", "says"),
    [
        (0, 0, ""), (2**53, 2**53, ""), (1.9, 1, ""), (True, None, "not a number"),
        ("7", None, "not a number"), (float("nan"), None, "not a number"),
        (-1, None, "not between"), (2**63, None, "not between"),
        (float("inf"), None, "not between"), ([], None, "not a number"),
    ],
)  # fmt: skip
def test_amounts_are_believed_only_where_they_can_be(told, amount, says):
    found, fault = resource.amount_in({"ConsumedBytes": told}, "ConsumedBytes")
    assert (found, says in fault) == (amount, True)


@pytest.mark.parametrize(
    ("facts", "is_pooled", "role"),
    [
        ({"Status": {"Health": "Critical"}}, True, "failed"),
        ({"HotspareType": "Global"}, True, "pooled"),
        ({"HotspareType": "Global"}, False, "spare"),
        ({"HotspareType": "None"}, False, "unpooled"),
        ({"Oem": {"TidalWorks": {"Role": "System"}}}, False, "system"),
        ({"Oem": {"TidalWorks": "System"}}, False, "unpooled"),
        ({"Oem": "System"}, False, "unpooled"),
    ],
)
def test_a_drive_plays_one_role(facts, is_pooled, role):
    assert resource.role_of(facts, is_pooled=is_pooled) == role


@given(told=resources)
def test_whatever_a_volume_a_drive_or_a_port_is_shaped_like_the_others_are_read(told):
    """What cannot be read is left out with a warning; what is told can be written."""
    array = ArrayDocument(uid="serial.a", name="heron-1", read_at=NOW)
    facts = Facts(url="http://heron.test", read_at=NOW, array=array)
    facts.add_volume({**told, "@odata.id": "/v/1"}, pool_path=None, may_lack_pool=True)
    facts.add_drive({**told, "@odata.id": "/d/1"})
    facts.add_port({**told, "@odata.id": "/p/1"}, controller="A")
    n_told = len(facts.volumes) + len(facts.snapshots)
    assert n_told + len(facts.warnings) >= 1
    # Whatever of it can be wrong would be refused when it is delivered.
    for one in facts.documents:
        assert decoder.decode(to_line(one)) == one


@pytest.mark.parametrize("speed", [float("nan"), float("inf"), -32, "32", [32], True, 0, 2**80])
@pytest.mark.parametrize("pools", [None, {}, {"@odata.id": "/p"}, ["/p"], [None], [{}], "x", 3])
def test_odd_speeds_and_links_stop_nothing(speed, pools):
    array = ArrayDocument(uid="serial.a", name="heron-1", read_at=NOW)
    facts = Facts(url="http://heron.test", read_at=NOW, array=array)
    facts.add_port({"@odata.id": "/p/1", "CurrentSpeedGbps": speed}, controller="A")
    facts.add_drive({"@odata.id": "/d/1", "CapacityBytes": 7, "Links": {"StoragePools": pools}})
    for one in facts.documents:
        assert decoder.decode(to_line(one)) == one
    assert len(facts.drives) == 1
