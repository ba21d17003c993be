"""Where objects can go, on the estate as it is or as a scenario."""

from dataclasses import dataclass, replace

import numpy as np
from django.contrib.auth.models import User

from keelmark.bearings.selectors.picture import drawn_of
from keelmark.bearings.selectors.views import Bearing, View, view_for
from keelmark.core.placement.ground import room_of
from keelmark.core.placement.objects import (
    ObjectCandidate,
    ObjectGround,
    ObjectsAsked,
    answer_objects,
)
from keelmark.core.placement.of_estate import object_ground_of
from keelmark.core.placement.ranking import Weights
from keelmark.core.scenario.changes import changes_in
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS
from keelmark.scenarios.selectors.kept import planned_for
from keelmark.scenarios.selectors.placing import coming_of
from keelmark.scenarios.selectors.prices import standing_prices

HOLDING = "account"


@dataclass(frozen=True, kw_only=True, eq=False)
class ObjectPlacing:
    """Objects asked about, and the buckets in sight that may or may not take them."""

    view: View
    asked: ObjectsAsked
    ground: ObjectGround
    candidates: list[ObjectCandidate]


def object_placing_of(
    actor: User, *, scope: str, asked: ObjectsAsked, weights: Weights,
    scenario_id: int | None = None,
) -> ObjectPlacing:  # fmt: skip
    """Return where objects can go among the buckets of a scope; out of sight is out of reach.

    On a scenario: with all that it plans for accounts, at its tightest until the last day.
    """
    view = view_for(actor, bearing=Bearing(scope=scope))
    ground = object_ground_of(view.reading, prices=standing_prices())
    if scenario_id is not None:
        told = drawn_of(planned_for(actor, scenario_id)).compiled
        change = changes_in(told, now=view.reading).get(HOLDING)
        if change is not None:
            accounts = ground.accounts
            plain = room_of(accounts, until_day=asked.last_day, horizon_days=HORIZON_DAYS)
            coming = coming_of(told, change, plain=plain, span=(asked.first_day, asked.last_day))
            ground = replace(ground, accounts=replace(accounts, planned_bytes=coming))
    seen = view.shown_along("bucket", kinds=("bucket",))
    rows = np.flatnonzero(seen[ground.bucket])
    ground = replace(ground, bucket=ground.bucket[rows], account=ground.account[rows])
    return ObjectPlacing(
        view=view, asked=asked, ground=ground,
        candidates=answer_objects(ground, asked, weights=weights, horizon_days=HORIZON_DAYS),
    )  # fmt: skip
