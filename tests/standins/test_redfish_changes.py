"""Volumes of a stand-in are made, grown, renamed, mapped and deleted, by who may."""

import httpx
import pytest

from standins.arrays import EXTENT_BYTES
from tests.conftest import WRITER

GIB = 1024**3


@pytest.fixture
def writing(heron):
    with httpx.Client(base_url=heron.url, auth=WRITER, trust_env=False) as client:
        yield client


@pytest.fixture
def volumes(heron):
    return f"{heron.service.tree.ground.storage}/Volumes"


def body(heron, **more):
    pool = f"{heron.service.tree.ground.storage}/StoragePools/swift-2"
    return {
        "Name": "sonar-new-v1", "CapacityBytes": 10 * GIB + 1, "ProvisioningPolicy": "Thin",
        "CapacitySources": [{"ProvidingPools": [{"@odata.id": pool}]}], **more,
    }  # fmt: skip


def made(writing, volumes, heron):
    answer = writing.post(volumes, json=body(heron))
    assert answer.status_code == 201, answer.text
    return answer.headers["Location"]


def test_a_volume_is_made_and_stands_everywhere(writing, volumes, heron, ask):
    before = ask(f"{heron.service.tree.ground.storage}/StoragePools/swift-2").json()
    path = made(writing, volumes, heron)
    told = ask(path).json()
    assert (told["Name"], told["CapacityBytes"]) == ("sonar-new-v1", 10 * GIB + EXTENT_BYTES)
    assert told["Identifiers"][0]["DurableNameFormat"] == "NAA"
    assert told["Capacity"]["Data"]["ConsumedBytes"] == 0
    pool = ask(f"{heron.service.tree.ground.storage}/StoragePools/swift-2").json()
    grown = [one["Capacity"]["Data"]["ProvisionedBytes"] for one in (before, pool)]
    assert grown[1] - grown[0] == told["CapacityBytes"]
    page, members = f"{pool['AllocatedVolumes']['@odata.id']}", []
    while page:
        one = ask(page).json()
        members += [each["@odata.id"] for each in one["Members"]]
        page = one.get("Members@odata.nextLink")
    assert path in members


def test_it_grows_is_renamed_and_mapped_on_the_state_that_was_seen(writing, volumes, heron, ask):
    path = made(writing, volumes, heron)
    port = heron.service.tree.ground.ports_seen[0]
    end = {"@odata.id": f"/redfish/v1/Fabrics/front/Endpoints/{port}"}
    etag = ask(path).headers["ETag"]
    for told in (
        {"CapacityBytes": 20 * GIB}, {"Name": "sonar-v1"}, {"Links": {"ClientEndpoints": [end]}},
    ):  # fmt: skip
        answer = writing.patch(path, json=told, headers={"If-Match": etag})
        assert answer.status_code == 200, answer.text
        late = writing.patch(path, json=told, headers={"If-Match": etag})
        assert late.status_code in (412, 200)
        etag = ask(path).headers["ETag"]
    told = ask(path).json()
    assert (told["Name"], told["CapacityBytes"]) == ("sonar-v1", 20 * GIB)
    assert told["Links"]["ClientEndpoints"] == [end]
    refused = writing.delete(path)
    assert (refused.status_code, "mapped" in refused.text) == (409, True)
    writing.patch(path, json={"Links": {"ClientEndpoints": []}})
    assert writing.delete(path).status_code == 204
    assert ask(path).status_code == 404


@pytest.mark.parametrize(
    ("more", "status"),
    [
        ({"CapacityBytes": 0}, 400), ({"CapacityBytes": "much"}, 400), ({"Name": ""}, 400),
        ({"CapacitySources": []}, 400), ({"ProvisioningPolicy": "Thick"}, 400),
        ({"ProvisioningPolicy": "Fixed", "CapacityBytes": 2**59}, 409),
    ],
)  # fmt: skip
def test_what_cannot_be_made_is_refused_and_nothing_is(writing, volumes, heron, more, status):
    n = len(heron.service.tree.ground.volumes)
    assert writing.post(volumes, json=body(heron, **more)).status_code == status
    assert len(heron.service.tree.ground.volumes) == n


def test_a_name_is_given_once_and_no_volume_shrinks(writing, volumes, heron):
    path = made(writing, volumes, heron)
    assert writing.post(volumes, json=body(heron)).status_code == 409
    assert writing.patch(path, json={"CapacityBytes": GIB}).status_code == 400
    assert writing.patch(path, json={"Colour": "blue"}).status_code == 400
    stranger = {"Links": {"ClientEndpoints": [{"@odata.id": "/redfish/v1/Nobody"}]}}
    assert writing.patch(path, json=stranger).status_code == 400


def test_who_reads_only_changes_nothing(signed_in, writing, volumes, heron):
    path = made(writing, volumes, heron)
    answers = [
        signed_in.post(volumes, json=body(heron, Name="other")),
        signed_in.patch(path, json={"Name": "x"}), signed_in.delete(path),
    ]  # fmt: skip
    assert [one.status_code for one in answers] == [403, 403, 403]
    assert writing.post("/redfish/v1/Chassis", json={}).status_code == 405


@pytest.mark.parametrize(
    ("fault", "state", "size"),
    [("slow-task", "Completed", 10 * GIB + EXTENT_BYTES), ("half-done", "Exception", 5 * GIB),
     ("failing-task", "Exception", None)],
)  # fmt: skip
def test_a_slow_array_does_it_as_a_task(writing, volumes, heron, ask, fault, state, size):
    heron.fault(fault, count=1, delay_seconds=0.2)
    answer = writing.post(volumes, json=body(heron))
    assert (answer.status_code, answer.json()["TaskState"]) == (202, "Running")
    place = answer.headers["Location"]
    assert place in [one["@odata.id"] for one in ask(place.rpartition("/")[0]).json()["Members"]]
    heron.service.changes.tasks[1].ends_at = 0.0
    task = ask(place).json()
    assert task["TaskState"] == state
    links = task.get("Links", {}).get("CreatedResources", [])
    sizes = [ask(one["@odata.id"]).json()["CapacityBytes"] for one in links]
    assert [abs(one - size) <= EXTENT_BYTES for one in sizes] == ([] if size is None else [True])
    assert bool(task["Messages"]) == (state == "Exception")


def test_it_refuses_when_told_to(writing, volumes, heron):
    heron.fault("refuses", count=1)
    assert writing.post(volumes, json=body(heron)).status_code == 409
    assert made(writing, volumes, heron)
