"""What tells two states of all definitions apart grows with every write, whoever writes."""

from datetime import timedelta

import pytest
from django.db import transaction

from keelmark.access.clock import now
from keelmark.compliance.models import Policy, Promise, Revision, Tier, TierNaming, TierRevision
from keelmark.compliance.selectors.definitions import defined_at, tiers_defined_at
from keelmark.estate.models import Entity

STAMPS = {"policies": defined_at, "tiers": tiers_defined_at}


@pytest.fixture
def drawn(db, api, make_pool):
    api.send("POST", "/compliance/policies", name="Fast", settling_minutes=0,
             rules=[{"kind": "media", "told": {"media": "ssd"}}])  # fmt: skip
    api.send("POST", "/compliance/tiers", name="Slack", min_iops=0, max_iops=300)
    return make_pool("swift-1")


def name_tier(pool):
    TierNaming.objects.create(tier=Tier.objects.get(), entity_id=pool, made_at=now())


WRITES = {
    "a promise": ("policies", lambda pool: Promise.objects.create(
        policy=Policy.objects.get(), entity_id=pool, made_at=now())),
    "all at once": ("policies", lambda _: Revision.objects.update(
        made_at=now() - timedelta(hours=1))),
    "taken away": ("policies", lambda _: Revision.objects.all().delete()),
    "retired": ("policies", lambda _: Policy.objects.update(retired_at=now())),
    "a naming": ("tiers", name_tier),
    "a limit": ("tiers", lambda _: TierRevision.objects.update(max_iops=400)),
}  # fmt: skip


@pytest.mark.parametrize("what", WRITES)
def test_a_write_grows_the_stamp_of_what_it_is_to_and_no_other(drawn, what):
    of, write = WRITES[what]
    before = {name: stamp() for name, stamp in STAMPS.items()}
    write(drawn)
    after = {name: stamp() for name, stamp in STAMPS.items()}
    assert {name for name in STAMPS if before[name] != after[name]} == {of}


def test_no_number_comes_twice_not_even_of_what_was_taken_back(drawn):
    policy, seen = Policy.objects.get(), [defined_at()]

    def promise():
        Promise.objects.create(policy=policy, entity=Entity.objects.get(pk=drawn), made_at=now())
        seen.append(defined_at())

    with transaction.atomic():
        promise()
        transaction.set_rollback(True)
    assert defined_at() == seen[0]
    promise()
    Promise.objects.all().delete()
    seen.append(defined_at())
    assert len(set(seen)) == len(seen)
