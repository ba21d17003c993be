"""Objects in buckets: where they can go, planned, and proven by what is read of their tier."""

import msgspec
import pytest

from keelmark.access.clock import now
from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import AccountDocument, BucketDocument, TenantDocument
from keelmark.estate.documents.consumers import BucketShare
from keelmark.estate.models import Entity
from keelmark.forecasts.making.pools import refresh
from keelmark.forecasts.making.runs import plan_forecasts
from keelmark.scenarios.services.carrying import go_on_all
from tests.server.cluster import READ_AT, history, tell
from tests.server.conftest import NOW, for_a_module
from tests.server.scenarios.planning import ahead, drawn_up, outcome
from tests.server.scenarios.test_accepting import accept
from tests.server.scenarios.test_outcomes import line
from tests.server.scenarios.test_prices import draw_up
from tests.server.test_forecast_runs import carry_out

PASSES = BucketDocument(
    uid="id.passes", name="passes", account_uid="id.satellite", n_objects=900, used_bytes=2 * TIB,
    shares=[
        BucketShare(tier="hot", from_days=0, n_objects=300, n_bytes=TIB),
        BucketShare(tier="hot", from_days=30, n_objects=300, n_bytes=TIB // 2),
        BucketShare(tier="cold", from_days=90, n_objects=300, n_bytes=TIB // 2),
    ],
    read_at=READ_AT,
)  # fmt: skip


@pytest.fixture(scope="module")
def ground(cluster, django_db_blocker):
    """An account with a quota and one without, each with a bucket that grows."""
    with for_a_module(django_db_blocker):
        tell(
            TenantDocument(uid="id.archive", name="Satellite Archive", read_at=READ_AT),
            AccountDocument(uid="id.satellite", name="satellite", tenant_uid="id.archive",
                            quota_bytes=8 * TIB, read_at=READ_AT),
            AccountDocument(uid="id.open", name="open", tenant_uid="id.archive", read_at=READ_AT),
            PASSES, history("id.passes", last=2 * TIB, per_day=2 * GIB),
            BucketDocument(uid="id.tiles", name="tiles", account_uid="id.open", n_objects=9,
                           used_bytes=TIB, read_at=READ_AT),
            history("id.tiles", last=TIB, per_day=GIB),
        )  # fmt: skip
        carry_out(plan_forecasts(now=NOW))
        refresh(now=NOW)
        build_revision(now=now())
        yield {**cluster, **{one.uid: one.pk for one in Entity.objects.all()}}


@pytest.fixture
def estate(ground, db):
    return ground


def placed(api, *, query="", **told):
    body = {"first_bytes": TIB, "last_until_on": ahead(90)} | told
    answer = api.send("POST", f"/placements/objects{query}", **body)
    assert answer.status_code == 200, answer.content
    return answer.json()


def of(told, bucket, tier="hot"):
    return next(
        one for one in told["candidates"] if (one["bucket"]["name"], one["tier"]) == (bucket, tier)
    )


def test_buckets_tell_what_the_quota_of_their_account_leaves(api, estate):
    told = placed(api, bytes_a_week=70 * GIB)
    assert (told["n_fitting"], told["n_rejected"], told["currency"]) == (6, 0, "")
    assert told["held_by_then_bytes"] == TIB + 89 * 10 * GIB
    passes, tiles = of(told, "passes"), of(told, "tiles")
    assert (passes["account"]["name"], passes["tenant_name"]) == ("satellite", "Satellite Archive")
    # Nine tenths of eight are the limit; two are there, and 90 days at 2 GiB are likely to come.
    left = 7.2 * TIB - 2 * TIB - 180 * GIB - told["held_by_then_bytes"]
    assert passes["quota_bytes"] == pytest.approx(left, rel=0.1)
    assert (tiles["has_quota"], tiles["quota_bytes"]) == (False, None)
    large = placed(api, first_bytes=6 * TIB)
    assert (of(large, "passes")["rank"], of(large, "passes")["quota_bytes"] < 0) == (None, True)
    assert of(large, "tiles")["rank"] is not None


def test_tiers_have_prices_and_only_those_asked_for_are_told(api, estate):
    draw_up(api, by_class={"hot": "30", "cold": "4"}, basis="written")
    classes = {one["name"]: one for one in api.get("/prices").json()["classes"]}
    assert (classes["hot"]["is_tier"], classes["hot"]["n_pools"]) == (True, 1)
    assert classes["hot"]["costs_a_month"] == pytest.approx(45)
    assert classes["warm"]["costs_a_month"] is None
    told = placed(api, tiers=["hot", "cold"])
    assert {one["tier"] for one in told["candidates"]} == {"hot", "cold"}
    assert of(told, "passes", "cold")["cost_a_month"] == pytest.approx(4)
    plain = line(outcome(api, drawn_up(api), days=1), None)
    assert plain["costs_a_month"] == pytest.approx(45 + 2, rel=0.01)


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("first_bytes", 0), ("last_until_on", ahead(0)), ("last_until_on", "2199-01-01"),
        ("first_on", ahead(200)), ("tiers", ["tepid"]), ("bytes_a_week", -1),
        ("weights", {"runway": 0, "balance": 0, "performance": 0, "cost": 0}),
    ],
)  # fmt: skip
def test_a_wrong_field_is_named(api, estate, field, value):
    body = {"first_bytes": TIB, "last_until_on": ahead(90), field: value}
    answer = api.send("POST", "/placements/objects", **body)
    assert (answer.status_code, field in str(answer.json()["errors"])) == (400, True)


def put(estate, **fields):
    told = {"bucket": estate["id.passes"], "tier": "hot", "first_bytes": TIB} | fields
    return {"on": ahead(2), "kind": "place_objects", "fields": told}


def test_what_is_planned_is_not_there_for_others_and_a_higher_quota_is(api, estate):
    plain = of(placed(api), "passes")["quota_bytes"]
    made = drawn_up(api, put(estate, bytes_a_week=7 * GIB))
    query = f"?scenario={made['id']}"
    held = TIB + 88 * GIB
    assert of(placed(api, query=query), "passes")["quota_bytes"] == pytest.approx(
        plain - held, rel=0.02
    )
    quota = {"on": ahead(1), "kind": "set_quota",
             "fields": {"of": estate["id.satellite"], "quota_bytes": 18 * TIB}}  # fmt: skip
    both = drawn_up(api, put(estate), quota)
    more = of(placed(api, query=f"?scenario={both['id']}"), "passes")["quota_bytes"]
    assert more == pytest.approx(plain - TIB + 9 * TIB, rel=0.02)


def test_a_put_is_verified_once_its_tier_holds_as_much_more(api, estate):
    made = drawn_up(api, put(estate))
    assert accept(api, made).status_code == 200
    order = api.send("POST", f"/scenarios/{made['id']}/order").json()
    (step,) = order["steps"]
    assert (step["kind"], step["values"]["was_bytes"]) == ("put objects", 3 * TIB // 2)
    assert step["carriage"]["why"] == "nothing of this is written from here"
    for hot, state in ((TIB, "to do"), (3 * TIB // 2 + TIB, "verified")):
        shares = [BucketShare(tier="hot", from_days=0, n_objects=1, n_bytes=hot)]
        tell(msgspec.structs.replace(PASSES, shares=shares, read_at=now()))
        go_on_all()
        told = api.get(f"/scenarios/{made['id']}/order").json()
        assert told["steps"][0]["state"] == state
