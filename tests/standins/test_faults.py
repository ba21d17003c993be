import json
from datetime import UTC, datetime, timedelta
from email.utils import parsedate_to_datetime

import httpx
import pytest

from standins.arrays import HISTORY_DAYS, written_bytes
from standins.estate import make_estate
from standins.estate_file import history
from tests.conftest import ANCHOR_ON, PASSWORD, USER

ROOT = "/redfish/v1"


def volume_path(heron):
    return f"{heron.service.tree.ground.storage}/Volumes/swift-2-tide-gauge-01"


def test_busy_answers_503_with_when_to_come_back_as_often_as_told(heron, ask):
    heron.fault("busy", count=2, retry_after_seconds=7)
    answers = [ask(f"{ROOT}/StorageServices") for _ in range(3)]
    assert [answer.status_code for answer in answers] == [503, 503, 200]
    assert answers[0].headers["Retry-After"] == "7"
    assert "error" in answers[0].json()


def test_truncated_and_garbage_are_no_json(heron, ask):
    for kind in ("truncated", "garbage"):
        heron.fault(kind, count=1)
        with pytest.raises(json.JSONDecodeError):
            ask(f"{ROOT}/StorageServices").json()
        assert ask(f"{ROOT}/StorageServices").json()


def test_an_expired_session_is_refused_and_a_new_one_taken(heron):
    with httpx.Client(base_url=heron.url, trust_env=False) as client:
        body = {"UserName": USER, "Password": PASSWORD}
        opened = client.post(f"{ROOT}/SessionService/Sessions", json=body)
        headers = {"X-Auth-Token": opened.headers["X-Auth-Token"]}
        path = f"{ROOT}/StorageServices"
        assert client.get(path, headers=headers).status_code == 200
        heron.fault("expired", count=1)
        assert client.get(path, headers=headers).status_code == 401


def test_a_session_can_be_looked_at_and_ended(heron, ask):
    with httpx.Client(base_url=heron.url, trust_env=False) as client:
        body = {"UserName": USER, "Password": PASSWORD}
        opened = client.post(f"{ROOT}/SessionService/Sessions", json=body)
        headers = {"X-Auth-Token": opened.headers["X-Auth-Token"]}
        place = opened.headers["Location"]
        assert client.get(place, headers=headers).json()["UserName"] == USER
        assert ask(f"{ROOT}/SessionService/Sessions").json()["Members@odata.count"] == 1
        assert client.delete(place, headers=headers).status_code == 204
        assert client.get(place, headers=headers).status_code == 401


@pytest.mark.parametrize("body", [{"UserName": USER, "Password": "x"}, {}])
def test_a_wrong_sign_in_is_refused(heron, body):
    answer = httpx.post(f"{heron.url}{ROOT}/SessionService/Sessions", json=body, trust_env=False)
    assert answer.status_code == 401


def test_sparse_leaves_out_what_is_optional_and_adds_what_nobody_knows(heron, ask):
    heron.fault("sparse")
    told = ask(volume_path(heron)).json()
    assert "IOStatistics" not in told
    assert "Unheard" in told["Oem"]["TernCoast"]
    assert told["CapacityBytes"] > 0


@pytest.mark.parametrize(
    ("kind", "amount"), [("oversized", 2**52), ("negative", -4096), ("overflow", 2**63)]
)
def test_impossible_figures_are_told_once(heron, ask, kind, amount):
    heron.fault(kind, count=1)
    first, second = (
        ask(volume_path(heron)).json()["Capacity"]["Data"]["ConsumedBytes"] for _ in range(2)
    )
    assert first == amount
    assert 0 < second < 2**50


def test_a_clock_ahead_shows_in_the_date(heron, ask):
    heron.fault("clock-ahead")
    told = parsedate_to_datetime(ask(f"{ROOT}/").headers["Date"])
    assert told - datetime.now(UTC) > timedelta(days=2)


def test_an_unknown_fault_or_volume_is_refused(heron):
    for path, body in (
        ("faults", {"kind": "sulk"}),
        ("write", {"pool": "swift-2", "volume": "none", "bytes": 1}),
    ):
        answer = httpx.post(f"{heron.url}/standin/{path}", json=body, trust_env=False)
        assert answer.status_code in (400, 404)


def test_what_is_written_shows_in_volume_and_pool_alike(standin):
    heron = standin(now=datetime.now(UTC))
    tree = heron.service.tree
    moment = heron.service.now()

    def books():
        pool = tree.resource(f"{tree.ground.storage}/StoragePools/swift-2", moment=moment)
        one = tree.resource(volume_path(heron), moment=moment)
        return [r["Capacity"]["Data"]["ConsumedBytes"] for r in (pool, one)]

    before = books()
    heron.write(pool="swift-2", n_bytes=12_345)
    assert [after - b for after, b in zip(books(), before, strict=True)] == [12_345, 12_345]


def test_counters_only_rise(heron, ask):
    first = ask(volume_path(heron)).json()["IOStatistics"]
    second = ask(volume_path(heron)).json()["IOStatistics"]
    assert all(second[name] >= first[name] for name in first)


def test_history_and_live_part_meet_without_a_step():
    estate = make_estate(size="small", anchor_on=ANCHOR_ON)
    volume = estate.arrays[0].pools[0].volumes[0]
    midnight = datetime(*ANCHOR_ON.timetuple()[:3], tzinfo=UTC)
    assert estate.day_of(midnight) == HISTORY_DAYS - 1
    assert written_bytes(volume, day=HISTORY_DAYS - 1) == volume.curve_bytes[HISTORY_DAYS - 1]
    noon = written_bytes(volume, day=HISTORY_DAYS - 0.5)
    ends = sorted(int(b) for b in volume.curve_bytes[HISTORY_DAYS - 1 : HISTORY_DAYS + 1])
    assert ends[0] <= noon <= ends[1]


def test_a_later_history_goes_on_where_an_earlier_one_ended():
    estate = make_estate(size="small", anchor_on=ANCHOR_ON)

    def readings(until):
        lines = history(estate, until=until)
        return {line["uid"]: line["used_bytes"] for line in lines if line["doc"] == "readings"}

    early = readings(ANCHOR_ON - timedelta(days=1))
    late = readings(ANCHOR_ON + timedelta(days=9))
    for uid, used in early.items():
        assert late[uid][: len(used)] == used
        assert len(late[uid]) == len(used) + 10
