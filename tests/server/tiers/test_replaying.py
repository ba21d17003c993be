"""Replay: what other limits would have done with what was asked for."""

from keelmark.core.performance import STEPS_A_DAY
from keelmark.core.units import TIB
from keelmark.estate.documents import VolumeDocument
from tests.server.cluster import about, do_all_day, tell
from tests.server.conftest import NOW
from tests.server.tiers.tiering import YESTERDAY, drawn_up, named, replay


def test_replay_tells_what_other_limits_would_have_done(api, estate, slack):
    told = replay(api, slack)
    assert (told["n_disks"], told["n_read"], told["trial"]) == (5, 4, None)
    assert told["missed_share"] == 0
    assert told["as_is"]["n_held_long"] == 1
    lower = replay(api, slack, 100)
    assert lower["trial"]["n_held_long"] == 2
    assert lower["trial"]["worst_ms"] > lower["as_is"]["worst_ms"]
    assert [one["id"] for one in lower["disks"]] == [estate["path.v0:a"], estate["path.v1:a"]]
    assert replay(api, slack, 1_000)["trial"]["n_held"] == 0
    curve = told["curve"]
    assert 300 in curve["maxima"]
    assert curve["n_held_long"] == sorted(curve["n_held_long"], reverse=True)
    at = curve["maxima"].index(300)
    assert curve["n_held_long"][at] == told["promised"]["n_held_long"]


def test_a_course_is_told_step_by_step_beside_what_was_recorded(api, estate, slack):
    told = replay(api, slack, 100, course_of=estate["path.v1:a"])["course"]
    assert told["recorded"] == [120] * STEPS_A_DAY
    assert told["done"] == [100] * STEPS_A_DAY
    assert told["delay_ms"][0] == 60_000
    assert not any(told["is_estimated"])
    assert replay(api, slack, course_of=estate["uuid.v1"])["course"] is None


def test_what_hosts_are_set_to_is_told_apart_from_the_tier(api, estate, slack):
    tell(about("path.v1:a", qos_max_iops=120))
    told = replay(api, slack)
    assert (told["as_is"]["n_held_long"], told["promised"]["n_held_long"]) == (2, 1)


def test_disks_of_other_tiers_take_their_part_of_what_a_volume_lets_through(api, estate, slack):
    own = drawn_up(api, name="Own", max_iops=1_000)
    named(api, own, estate["path.v1:a"])
    assert replay(api, own)["as_is"]["n_held"] == 0
    tell(VolumeDocument(uid="naa.1", pool_uid="uuid.p", name="seabed-1", size_bytes=10 * TIB,
                        qos_max_iops=200, read_at=NOW))  # fmt: skip
    told = replay(api, own, course_of=estate["path.v0:a"])
    assert (told["n_disks"], told["as_is"]["n_held_long"], told["course"]) == (1, 1, None)
    assert [one["id"] for one in told["disks"]] == [estate["path.v1:a"]]
    course = replay(api, own, course_of=estate["path.v1:a"])["course"]
    assert course["recorded"] == [120] * STEPS_A_DAY  # its own, whoever was read beside it


def test_what_is_brought_in_later_is_replayed_at_once(api, estate):
    own = drawn_up(api, name="Own")
    named(api, own, estate["path.v4:a"])
    assert replay(api, own)["n_read"] == 0
    do_all_day({estate["path.v4:a"]: (90, 0, 0)}, on=YESTERDAY)
    told = replay(api, own, course_of=estate["path.v4:a"])
    assert told["n_read"] == 1
    assert told["course"]["recorded"] == [90] * STEPS_A_DAY


def test_a_draft_limit_that_cannot_be_is_told_with_its_place(api, estate, slack):
    wrong = [{"tier_id": slack["id"], "min_iops": 9, "max_iops": 1}]
    answer = api.send("POST", "/compliance/replays", tier_id=slack["id"], limits=wrong)
    assert answer.status_code == 400
    assert answer.json()["errors"][0]["pointer"] == "#/limits/0/min_iops"
    unknown = [{"tier_id": 999, "min_iops": 0, "max_iops": 1}]
    assert api.send("POST", "/compliance/replays", limits=unknown).status_code == 404


def test_more_disks_than_can_be_replayed_are_refused_with_what_helps(
    api, estate, slack, monkeypatch
):
    monkeypatch.setattr("keelmark.compliance.selectors.recorded.MOST_DISKS", 2)
    answer = api.send("POST", "/compliance/replays", tier_id=slack["id"])
    assert answer.status_code == 422
    assert "narrow the scope" in answer.json()["detail"]


def test_the_curve_of_one_tier_is_not_told_of_all(api, estate, slack):
    body = {"days": 1, "limits": []}
    path = f"/compliance/replays?at={YESTERDAY}"
    assert api.send("POST", path, tier_id=None, **body).json()["curve"] is None
    assert api.send("POST", path, tier_id=slack["id"], **body).json()["curve"] is not None
