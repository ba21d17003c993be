"""Workloads read from tables and OVF descriptors, learnt of VMs, and placed together."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.units import GIB, TIB
from keelmark.scenarios.intake import MOST_ROWS, read_intake
from tests.server.scenarios.planning import ahead, drawn_up, extend

TABLE = """name;VMs;CPUs;memory;disks;written %;growth a week;busy IOPS;tenant
sonar-ingest;24;4;16 GiB;1,2 TiB;40;9 GiB;380;Seabed
chart-cache;;8;64 GiB;200 GiB + 600 GiB;70 %;;900;
"""
OVF = """<?xml version="1.0"?>
<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1"
 xmlns:rasd="http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData">
 <DiskSection><Info/>
  <Disk ovf:diskId="d1" ovf:capacity="40" ovf:capacityAllocationUnits="byte * 2^30" ovf:populatedSize="{held}"/>
  <Disk ovf:diskId="d2" ovf:capacity="{second}"/>
 </DiskSection>
 <VirtualSystem ovf:id="vm1"><Info/><Name>tide-gauge</Name>
  <VirtualHardwareSection>
   <Item><rasd:ResourceType>3</rasd:ResourceType><rasd:VirtualQuantity>2</rasd:VirtualQuantity></Item>
   <Item><rasd:AllocationUnits>byte * 2^20</rasd:AllocationUnits><rasd:ResourceType>4</rasd:ResourceType>
    <rasd:VirtualQuantity>{memory}</rasd:VirtualQuantity></Item>
   <Item><rasd:HostResource>ovf:/disk/d1</rasd:HostResource><rasd:ResourceType>17</rasd:ResourceType></Item>
   <Item><rasd:HostResource>ovf:/disk/{disk}</rasd:HostResource><rasd:ResourceType>17</rasd:ResourceType></Item>
  </VirtualHardwareSection>
 </VirtualSystem>
</Envelope>
"""  # noqa: E501
PLAIN = {"held": 10 * GIB, "second": 5 * GIB, "memory": 4096, "disk": "d2"}


def faults(told):
    return [(one.where, one.field) for one in told.faults]


@pytest.mark.parametrize("delimiter", [";", "\t", ","])
def test_a_table_has_a_workload_a_row(delimiter):
    text = TABLE if delimiter == ";" else TABLE.replace(",", ".").replace(";", delimiter)
    told = read_intake("\ufeff" + text, file="intake.csv")
    assert told.faults == []
    sonar, chart = told.workloads
    assert (sonar["name"], sonar["n_vms"], sonar["n_cpus"]) == ("sonar-ingest", 24, 4)
    (disk,) = sonar["disks"]
    assert disk["size_bytes"] == round(1.2 * TIB)
    assert (disk["written_percent"], disk["bytes_a_week"], disk["busy_iops"]) == (40, 9 * GIB, 380)
    assert sonar["tenant"] == "Seabed"
    assert (chart["n_vms"], [one["size_bytes"] for one in chart["disks"]]) == (
        1, [200 * GIB, 600 * GIB],
    )  # fmt: skip


@pytest.mark.parametrize(
    ("row", "field"),
    [
        ("a;x;;;1 TiB", "vms"), ("a;0;;;1 TiB", "vms"), ("a;1;;;", "disks"), (";1;;;1 TiB", "name"),
        ("a;1;;;1", "disks"), ("a;1;;;-1 TiB", "disks"), ("a;1;;;1 TiB + x", "disks"),
        ("a;1;;;9 EiB", "disks"), ("a;1;;16;1 TiB", "memory"), ("a;1;;;1 TiB;101", "written"),
        ("a;1;;;1 YiB", "disks"), (f"{'n' * 101};1;;;1 TiB", "name"), ("a;1;two;;1 TiB", "cpus"),
    ],
)  # fmt: skip
def test_a_bad_cell_is_told_with_its_row_and_costs_no_other(row, field):
    head, *_ = TABLE.splitlines()
    told = read_intake(f"{head}\n{row}\n\nb;2;;;1 TiB\n", file="intake.csv")
    assert faults(told) == [("row 2", field)]
    assert [one["name"] for one in told.workloads] == ["b"]


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ("name;VMs\na;1", "header"),
        ("", "header"),
        ("just words", "header"),
        ("<Envelope", "file"),
        ("<Other/>", "file"),
        ("<Envelope/>", "VirtualSystem"),
        ('<!DOCTYPE x [<!ENTITY a "b">]><Envelope>&a;</Envelope>', "file"),
    ],
)
def test_what_is_no_intake_says_so(text, field):
    told = read_intake(text, file="intake.csv")
    assert (told.workloads, [one.field for one in told.faults]) == ([], [field])


def test_more_rows_than_are_taken_are_told():
    rows = "\n".join(f"w{n};1 TiB" for n in range(MOST_ROWS + 5))
    told = read_intake(f"name;disks\n{rows}", file="intake.csv")
    assert (len(told.workloads), faults(told)) == (MOST_ROWS, [(f"row {MOST_ROWS + 2}", "")])


def test_an_ovf_descriptor_is_read():
    told = read_intake(OVF.format(**PLAIN), file="gauge.ovf")
    (one,) = told.workloads
    assert told.faults == []
    assert (one["name"], one["n_cpus"], one["memory_bytes"]) == ("tide-gauge", 2, 4 * GIB)
    assert [(each["size_bytes"], each["written_percent"]) for each in one["disks"]] == [
        (40 * GIB, 25), (5 * GIB, 100),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("wrong", "where", "field"),
    [
        ({"memory": "much"}, "tide-gauge", "memory"),
        ({"disk": "d9"}, "tide-gauge", "disk"),
        ({"second": "-1"}, "disk d2", "capacity"),
        ({"second": "x"}, "disk d2", "capacity"),
        ({"second": "9" * 30}, "disk d2", "capacity"),
    ],
)
def test_what_cannot_be_read_of_an_ovf_descriptor_is_told(wrong, where, field):
    told = read_intake(OVF.format(**PLAIN | wrong), file="gauge.ovf")
    assert (where, field) in faults(told)
    assert told.workloads == []


@given(text=st.text(max_size=300))
def test_whatever_is_sent_is_read_or_told(text):
    told = read_intake(text, file="any")
    assert told.workloads or told.faults
    read_intake(f"name;disks;VMs\n{text}", file="any")
    read_intake(OVF.format(**PLAIN | {"memory": text.replace("<", "").replace("&", "")}), file="a")


# Learnt, and placed together


def asked(**more):
    return {
        "name": "sonar-new", "n_vms": 2, "last_until_on": ahead(200),
        "disks": [{"size_bytes": TIB, "written_percent": 10}], **more,
    }  # fmt: skip


def together(api, *workloads, **query):
    told = api.client.post(
        "/api/v1/placements/together", {"workloads": list(workloads)}, query_params=query,
        content_type="application/json",
    )  # fmt: skip
    assert told.status_code == 200, told.content
    return told.json()


def test_more_of_a_vm_is_learnt_of_it_and_its_kin(api, estate):
    told = api.get("/placements/more-of", vm=estate["uuid.v0"]).json()
    assert (told["name"], told["kin"][0], len(told["kin"])) == ("sonar-0", "sonar-0", 5)
    assert (told["n_cpus"], told["memory_bytes"]) == (2, 8 * GIB)
    (disk,) = told["disks"]
    assert (disk["size_bytes"], disk["written_percent"]) == (1024 * GIB, 49)
    assert disk["n_used"] == 5
    assert api.get("/placements/more-of", vm=estate["naa.1"]).status_code == 404
    assert api.get("/placements/more-of", vm="x").status_code == 400


def test_what_each_takes_is_not_there_for_the_others(api, estate):
    one = asked(n_vms=1, disks=[{"size_bytes": 5 * TIB, "written_percent": 100}])
    alone = together(api, one)
    assert (alone["n_left"], alone["results"][0]["spread"][0]["n_vms"]) == (0, 1)
    five = together(api, *[one | {"name": f"w{n}"} for n in range(5)])
    assert five["n_left"] > 0
    assert five["n_vms"] == 5
    left = next(each for each in five["results"] if each["n_left"])
    assert left["n_alone"] >= 1
    assert 0 <= five["gap_percent"] < 100


def test_together_alone_is_as_one_is_asked(api, estate):
    one = asked(n_vms=3)
    body = {**one, "weights": {"runway": 1, "balance": 1, "performance": 1}}
    plain = api.client.post("/api/v1/placements", body, content_type="application/json").json()
    told = together(api, one)["results"][0]
    assert told["spread"] == plain["spread"]
    assert told["n_left"] == plain["n_left"]


def test_what_is_planned_counts(api, estate):
    one = asked(n_vms=5, disks=[{"size_bytes": 4 * TIB, "written_percent": 100}])
    made = drawn_up(api, extend(estate, on=0, added_bytes=60 * TIB))
    assert together(api, one)["n_left"] > 0
    assert together(api, one, scenario=made["id"])["n_left"] == 0


@pytest.mark.parametrize(
    "body",
    [{"workloads": []}, {"workloads": [asked(n_vms=0)]}, {}, {"workloads": [asked(disks=[])]}],
)
def test_what_cannot_be_asked_for_is_refused(api, estate, body):
    told = api.client.post("/api/v1/placements/together", body, content_type="application/json")
    assert told.status_code == 400


def test_files_are_read_over_the_api(api, estate):
    told = api.send("POST", "/placements/intake", text=TABLE + "x;y\n", file="intake.csv").json()
    assert [one["name"] for one in told["workloads"]] == ["sonar-ingest", "chart-cache"]
    assert [(one["where"], one["field"]) for one in told["faults"]] == [
        ("row 4", "vms"), ("row 4", "disks"),
    ]  # fmt: skip
