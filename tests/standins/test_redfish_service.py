import httpx
import pytest
import redfish

from tests.conftest import PASSWORD, USER, WRITER

ROOT = "/redfish/v1"


def test_a_public_client_library_logs_in_and_walks_the_tree(heron, monkeypatch):
    monkeypatch.setenv("NO_PROXY", "127.0.0.1")
    client = redfish.redfish_client(
        base_url=heron.url, username=USER, password=PASSWORD, default_prefix=f"{ROOT}/"
    )
    client.login(auth="session")
    storage = client.get(client.root["Storage"]["@odata.id"]).dict["Members"][0]["@odata.id"]
    pools = client.get(client.get(storage).dict["StoragePools"]["@odata.id"]).dict["Members"]
    pool = client.get(pools[0]["@odata.id"]).dict
    volumes = client.get(pool["AllocatedVolumes"]["@odata.id"]).dict["Members"]
    volume = client.get(volumes[0]["@odata.id"]).dict
    client.logout()
    assert pool["Capacity"]["Data"]["ConsumedBytes"] > 0
    assert volume["Identifiers"][0]["DurableNameFormat"] == "NAA"
    assert heron.service.sessions.open == {}


def test_every_link_leads_to_a_resource_that_names_itself(signed_in):
    waiting, seen = [f"{ROOT}/"], set()
    while waiting:
        path = waiting.pop().split("#")[0]
        if path in seen or "/Fabrics/" in path:
            continue
        seen.add(path)
        body = signed_in.get(path).raise_for_status().json()
        assert body["@odata.type"].startswith("#")
        assert body["@odata.id"].rstrip("/") == path.split("?")[0].rstrip("/")
        waiting += list(links_in(body))
    assert sum("/StoragePools/" in path for path in seen) > 3


def links_in(body):
    if isinstance(body, dict):
        for name, part in body.items():
            if name == "Members@odata.nextLink" or (name == "@odata.id" and len(body) == 1):
                yield part
            else:
                yield from links_in(part)
    elif isinstance(body, list):
        for part in body:
            yield from links_in(part)


def test_pages_together_hold_every_member_once(signed_in, heron):
    path, names = f"{heron.service.tree.ground.storage}/Volumes?$top=7", []
    while path:
        page = signed_in.get(path).json()
        assert len(page["Members"]) <= 7
        names += [member["@odata.id"] for member in page["Members"]]
        path = page.get("Members@odata.nextLink")
    assert len(names) == len(set(names)) == page["Members@odata.count"]
    ground = heron.service.tree.ground
    assert len(names) == len(ground.volumes) + len(ground.snapshots)


def test_expanding_shows_members_in_full(signed_in, heron):
    page = signed_in.get(f"{heron.service.tree.ground.storage}/StoragePools?$expand=.").json()
    assert all("Capacity" in member for member in page["Members"])


def test_an_unchanged_resource_answers_304_to_its_etag(signed_in):
    path = f"{ROOT}/Chassis/heron-1"
    etag = signed_in.get(path).headers["ETag"]
    assert signed_in.get(path, headers={"If-None-Match": etag}).status_code == 304


@pytest.mark.parametrize(
    ("path", "status", "code"),
    [
        (f"{ROOT}/Nowhere", 404, "ResourceMissingAtURI"),
        (f"{ROOT}/StorageServices?$top=x", 400, "QueryParameterValueTypeError"),
    ],
)
def test_errors_have_the_standard_body(signed_in, path, status, code):
    answer = signed_in.get(path)
    assert answer.status_code == status
    assert answer.json()["error"]["code"].endswith(code)
    assert answer.json()["error"]["@Message.ExtendedInfo"][0]["MessageId"].endswith(code)


def test_without_signing_in_only_the_root_is_seen(heron):
    with httpx.Client(base_url=heron.url, trust_env=False) as nobody:
        assert nobody.get(f"{ROOT}/").status_code == 200
        assert nobody.get(f"{ROOT}/StorageServices").status_code == 401


def test_the_older_location_lies_under_a_system(standin):
    avocet = standin("avocet-2")
    auth = (USER, PASSWORD)
    with httpx.Client(base_url=avocet.url, auth=auth, trust_env=False) as client:
        root = client.get(f"{ROOT}/").json()
        assert "Storage" not in root
        system = client.get(root["Systems"]["@odata.id"]).json()["Members"][0]["@odata.id"]
        storage = client.get(client.get(system).json()["Storage"]["@odata.id"]).json()
        assert storage["Members@odata.count"] == 1


@pytest.fixture
def volume(heron):
    return f"{heron.service.tree.ground.storage}/Volumes/" + next(
        name for name, (_, one) in heron.service.tree.ground.volumes.items()
        if heron.service.tree.ground.flow.limits_of(one)
    )  # fmt: skip


def limits(least, most):
    return {"Oem": {"TernCoast": {"MinimumIOPS": least, "MaximumIOPS": most}}}


@pytest.mark.parametrize(
    ("who", "body", "headers", "status"),
    [
        (WRITER, limits(10, 900), {}, 200),
        (WRITER, limits(10, 900), {"If-Match": 'W/"of-another-time"'}, 412),
        ((USER, PASSWORD), limits(10, 900), {}, 403),
        (("nobody", "nothing"), limits(10, 900), {}, 401),
        (WRITER, limits(901, 900), {}, 400),
        (WRITER, limits(0, 0), {}, 400),
        (WRITER, limits(True, 900), {}, 400),
        (WRITER, {"Encrypted": False}, {}, 400),
        (WRITER, {**limits(10, 900), "Name": "another"}, {}, 400),
    ],
)
def test_limits_of_a_volume_are_set_by_who_may_both_or_none(
    heron, volume, who, body, headers, status
):
    with httpx.Client(base_url=heron.url, auth=who, trust_env=False) as client:
        before = httpx.get(heron.url + volume, auth=(USER, PASSWORD), trust_env=False).json()["Oem"]
        assert client.patch(volume, json=body, headers=headers).status_code == status
        told = httpx.get(heron.url + volume, auth=(USER, PASSWORD), trust_env=False).json()["Oem"]
    assert told == (body["Oem"] if status == 200 else before)


def test_nothing_but_a_volume_can_be_set(heron, volume):
    with httpx.Client(base_url=heron.url, auth=WRITER, trust_env=False) as client:
        assert client.patch(f"{ROOT}/Chassis/heron-1", json=limits(1, 2)).status_code == 405
        assert client.patch(f"{volume}-gone", json=limits(1, 2)).status_code == 404
