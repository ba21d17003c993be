"""Plans that promise otherwise: a policy or a tier is planned, looked at, and carried out."""

import pytest

from keelmark.compliance.models import Promise, TierNaming, TierRevision
from keelmark.core.units import TIB
from tests.server.cluster import tell
from tests.server.promises.promising import FLASH
from tests.server.promises.promising import drawn_up as policy_drawn_up
from tests.server.scenarios.planning import ahead, drawn_up, outcome, place
from tests.server.scenarios.test_carrying import ordered, read, send, states
from tests.server.scenarios.test_outcomes import line
from tests.server.tiers.tiering import sampled


@pytest.fixture
def slack(api, estate):
    told = api.send("POST", "/compliance/tiers", name="Slack", min_iops=50, max_iops=300)
    assert told.status_code == 201, told.content
    return told.json()


def tiering(estate, *uids, tier="Slack", on=0):
    fields = {"what": [estate[uid] for uid in uids], "tier": tier}
    return {"on": ahead(on), "kind": "name_tier", "fields": fields}


def promising(estate, *uids, policy="Twice-kept", on=3):
    fields = {"what": [estate[uid] for uid in uids], "policy": policy}
    return {"on": ahead(on), "kind": "promise_policy", "fields": fields}


def n_disks(api, **query):
    """How many disks are of each tier."""
    told = api.get("/compliance/tiers", **query).json()["results"]
    return {one["name"]: one["n_disks"] for one in told}


def test_a_planned_tier_bears_from_its_day_on_and_names_nobody(api, estate, slack):
    made = drawn_up(api, tiering(estate, "uuid.v0", "path.v1:a", on=5))
    told = [n_disks(api, scenario=made["id"], at=ahead(day)) for day in (4, 5, 9)]
    assert [one["Slack"] for one in told] == [0, 2, 2]
    assert n_disks(api) == {"Slack": 0}
    assert not TierNaming.objects.exists()


def test_a_plan_stands_before_what_is_named(api, estate, slack):
    other = api.send("POST", "/compliance/tiers", name="Strong", min_iops=500, max_iops=900)
    api.send("POST", "/compliance/namings", tier_id=other.json()["id"],
             entity_ids=[estate["path.v0:a"]])  # fmt: skip
    made = drawn_up(api, tiering(estate, "path.v0:a"))
    told = n_disks(api, scenario=made["id"], at=ahead(2))
    assert told == {"Slack": 1, "Strong": 0}


def test_a_policy_that_is_planned_breaks_what_does_not_keep_it(api, estate):
    policy_drawn_up(api, {"kind": "overcommit", "told": {"ceiling_percent": 120}})
    disks = [{"size_bytes": 4 * TIB, "written_percent": 1}]
    made = drawn_up(api, promising(estate, "naa.1"), place(estate, disks=disks))
    told = outcome(api, made, days=40)
    assert (line(told, None)["n_broken"], line(told, made)["n_broken"]) == (0, 1)
    assert [(one["name"], one["is_broken"]) for one in told["turned"]] == [("seabed-1", True)]
    assert not Promise.objects.exists()


@pytest.mark.parametrize(
    ("move", "says"),
    [(tiering, "no tier Slack stands"), (promising, "no policy Twice-kept stands")],
)
def test_what_names_none_that_stands_is_barred(api, estate, move, says):
    made = drawn_up(api, move(estate, "uuid.v0"))
    (fault,) = made["moves"][0]["faults"]
    assert (fault["is_bar"], fault["says"][0]["text"]) == (True, says)


def test_names_that_stand_are_offered(api, estate, slack):
    kinds = {one["kind"]: one for one in api.get("/move-kinds").json()}
    (tier,) = [one for one in kinds["name_tier"]["asks"] if one["name"] == "tier"]
    (policy,) = [one for one in kinds["promise_policy"]["asks"] if one["name"] == "policy"]
    assert (tier["choices"], policy["choices"]) == (["Slack"], [])


def test_it_is_carried_out_here(api, operator, estate, slack):
    policy_drawn_up(api, FLASH)
    order = ordered(
        operator, tiering(estate, "uuid.v0", "uuid.v1"), promising(estate, "uuid.v2", on=0)
    )
    assert [one["kind"] for one in order["steps"]] == ["name tier", "promise policy"]
    assert order["steps"][0]["values"]["names"] == ["sonar-0", "sonar-1"]
    told = send(operator, order, "steps/1/change").json()
    assert (states(told), TierNaming.objects.count()) == (["verified", "to do"], 2)
    assert told["steps"][0]["found"] == "2 of 2 have it"
    send(operator, order, "carrying")
    told = read(operator, order)
    assert (states(told), told["ended_at"] is not None) == (["verified", "verified"], True)
    assert Promise.objects.get().entity_id == estate["uuid.v2"]


def test_who_would_be_held_is_told_by_what_was_asked_for_just_now(api, estate, slack):
    strong = api.send("POST", "/compliance/tiers", name="Strong", min_iops=50, max_iops=900)
    assert strong.status_code == 201
    unread = outcome(api, drawn_up(api, name="Nothing"), days=9)["lines"]
    assert [one["n_held"] for one in unread] == [None, None]
    tell(*sampled(2, minutes=1), *sampled(3, minutes=1))  # 200 and 300 operations a second
    api.send("POST", "/compliance/namings", tier_id=slack["id"], entity_ids=[estate["path.v3:a"]])
    raised = drawn_up(api, tiering(estate, "path.v3:a", tier="Strong"))
    lowered = drawn_up(api, tiering(estate, "path.v3:a", "path.v2:a"), name="Lowered")
    api.send("POST", "/compliance/tiers", name="Weak", min_iops=0, max_iops=150)
    weak = drawn_up(api, tiering(estate, "path.v2:a", tier="Weak"), name="Weak")
    told = outcome(api, raised, days=9, beside=f"{lowered['id']},{weak['id']}")
    n_held = {one["name"]: one["n_held"] for one in told["lines"]}
    assert n_held == {"as it is": 1, "Spring intake": 0, "Lowered": 1, "Weak": 2}


def test_other_limits_of_a_tier_are_tried_and_become_its_next_revision(
    api, operator, estate, slack
):
    tell(*sampled(3, minutes=1))  # 300 operations a second, at the limit of 300
    api.send("POST", "/compliance/namings", tier_id=slack["id"], entity_ids=[estate["path.v3:a"]])
    fields = {"tier": "Slack", "min_iops": 50, "max_iops": 900}
    move = {"on": ahead(0), "kind": "revise_tier", "fields": fields}
    told = outcome(api, drawn_up(api, move, name="Tried"), days=9)
    assert [one["n_held"] for one in told["lines"]] == [1, 0]
    order = ordered(operator, move)
    assert order["steps"][0]["title"] == [{"text": "Change tier Slack to 50 to 900 I/O a second"}]
    send(operator, order, "carrying")
    assert states(read(operator, order)) == ["verified"]
    newest = TierRevision.objects.order_by("-number").first()
    assert (newest.number, newest.max_iops, newest.min_iops) == (2, 900, 50)


def test_no_tier_is_drawn_up_by_a_plan_and_its_limits_do_not_cross(api, slack):
    def faults(**fields):
        told = drawn_up(api, {"on": ahead(0), "kind": "revise_tier", "fields": fields})
        return [one["field"] for one in told["moves"][0]["faults"]]

    assert faults(tier="Spring", max_iops=9) == ["tier"]
    assert faults(tier="Slack", min_iops=10, max_iops=9) == ["min_iops"]
