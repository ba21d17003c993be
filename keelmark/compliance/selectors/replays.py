"""What other limits would have done with what was asked for in the last days."""

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any, Final, TypeVar

import numpy as np

from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.recorded import (
    DraftLimit,
    Recorded,
    ReplayAsked,
    limits_of,
    recorded_of,
)
from keelmark.compliance.selectors.tiers import Tiered, sustained, tiered_at
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.performance import STEPS_A_DAY, Floats, operations
from keelmark.core.qos import Limits, Places, Replayed, curve, replayed
from keelmark.core.qos.replay import LONG_HOURS, held_hours_a_day
from keelmark.core.qos.states import WAITED_BY
from keelmark.readings.models import Measure
from keelmark.readings.performance.reading import STEP_SECONDS, steps_of
from keelmark.readings.selectors import most_of_days

Made = TypeVar("Made")
N_CURVE: Final = 16
CURVE_REACH: Final = (0.5, 4.0)  # of the tier's maximum, from where to where the curve goes
BUSY_SHARE: Final = 0.99
MOST_NAMED: Final = 60


def replay_of(view: View, asked: ReplayAsked) -> dict[str, Any]:  # Any: JSON
    """Return what the limits that are, and the drafted ones, do with what was asked for."""
    tiered = tiered_at(view.reading)
    told = recorded_of(view, tiered, asked)
    n_steps = told.done.shape[1]
    course = _course_row(view, told, asked.course_of)
    kept = None if course is None else np.array([course])
    is_limits, trial_limits = (
        limits_of(view, tiered, told, drafts=drafts) for drafts in ((), asked.drafts)
    )
    places = Places(at=tiered.place["array"][told.rows], n=len(view.reading.estate.table("array")))
    demand = told.asked.asked
    own = slice(told.n_own)
    everybody = _once(told, f"as is {course}", lambda: replayed(
        demand, is_limits, recorded=told.done, kept=kept, places=places
    ))  # fmt: skip
    as_is, trial = everybody.of_first(told.n_own), None
    if asked.drafts:
        trial = replayed(demand, trial_limits, kept=kept, places=places).of_first(told.n_own)
    return {
        "first_on": told.first_on.isoformat(),
        "n_days": n_steps // STEPS_A_DAY,
        "n_disks": told.n_own,
        "n_read": int(told.asked.is_read[own].any(axis=1).sum()),
        "estimated_share": _share(told.asked.is_estimated[own], told.asked.is_read[own]),
        "at_least_share": _share(told.asked.is_least[own], told.asked.is_read[own]),
        "missed_share": _missed(as_is),
        "promised": _promised(view, tiered, told, asked),
        "as_is": _sum(as_is, base=None, n_steps=n_steps),
        "trial": None if trial is None else _sum(trial, base=as_is, n_steps=n_steps),
        "arrays": _arrays(view, tiered, told, as_is, trial),
        "curve": _once(told, "curve", lambda: _curve(tiered, told, asked, is_limits)),
        "disks": _disks(view, told, as_is, trial, n_steps=n_steps),
        "course": None if course is None else _course(told, course, as_is, trial),
    }


def _once(told: Recorded, name: str, make: Callable[[], Made]) -> Made:
    """Make what stands whatever is tried, once for what is recorded."""
    if name not in told.made:
        told.made[name] = make()
    made: Made = told.made[name]
    return made


def _share(part: np.ndarray, of: np.ndarray) -> float:
    return float(part.sum() / max(int(of.sum()), 1))


def _missed(as_is: Replayed) -> float | None:
    """By what share of all that was done the replay at the recorded limits differs from it."""
    total = float(as_is.served.sum())
    return float(as_is.missed.sum()) / total if total else None


def _sum(run: Replayed, *, base: Replayed | None, n_steps: int) -> dict[str, Any]:  # Any: JSON
    hours = held_hours_a_day(run.held_steps, n_steps=n_steps)
    starved = run.starved_steps > 0
    newly = starved & (base.starved_steps == 0) if base is not None else np.zeros_like(starved)
    return {
        "n_held_long": int((hours > LONG_HOURS).sum()),
        "n_held": int((run.held_steps > 0).sum()),
        "n_starved": int(starved.sum()),
        "n_newly_starved": int(newly.sum()),
        "worst_ms": float(run.worst_ms.max(initial=0)),
        "p99_ms": float(run.p99_ms.max(initial=0)),
        "median_ms": float(run.median_ms.max(initial=0)),
        "undone_share": _undone(run),
    }


def _promised(
    view: View, tiered: Tiered, told: Recorded, asked: ReplayAsked
) -> dict[str, Any] | None:  # Any: JSON
    """What the tier's own limits would do, were they set everywhere."""
    one = next((d for d in tiered.defined if d.tier.pk == asked.tier_id), None)
    if one is None:
        return None
    own = DraftLimit(tier_id=one.tier.pk, min_iops=one.core.min_iops, max_iops=one.core.max_iops)
    run = _once(
        told, "promised",
        lambda: replayed(told.asked.asked, limits_of(view, tiered, told, drafts=(own,))),
    )  # fmt: skip
    run = run.of_first(told.n_own)
    return _sum(run, base=None, n_steps=told.done.shape[1])


def _undone(run: Replayed) -> float:
    """Of all that was asked for, what is not done: given up, or still in line at the end."""
    undone = float(run.forgone.sum() + run.left.sum())
    asked = float(run.served.sum()) + undone
    return undone / asked if asked else 0.0


def _arrays(
    view: View, tiered: Tiered, told: Recorded, as_is: Replayed, trial: Replayed | None
) -> list[dict[str, Any]]:  # Any: JSON
    """What each array did in its busy hours, and what it would do with the other limits."""
    table = view.reading.estate.table("array")
    at = tiered.place["array"][told.rows]
    found = np.unique(at[at != NOWHERE])
    found = found[view.seen["array"][found]]
    if len(found) == 0:
        return []
    n_steps = told.done.shape[1]
    steps = steps_of(
        table.ids[found], first_on=told.first_on, n_days=n_steps // STEPS_A_DAY, parts=WAITED_BY
    )
    recorded = operations(steps)
    sustains = sustained(view.reading)
    busy_days = most_of_days(table.ids[found], measure=Measure.IOPS, since=told.first_on)
    rows = []
    for place, array in enumerate(found.tolist()):
        before = recorded[place]
        if 2 * np.isnan(before).sum() > len(before):  # nobody counts it: its busy hours a day do
            before = np.full(len(before), busy_days.get(int(table.ids[array]), np.nan))
        then = None if trial is None else before + trial.load[array] - as_is.load[array]
        rows.append(
            {
                "id": int(table.ids[array]),
                "name": table.names[array],
                "sustains_iops": None if np.isnan(sustains[array]) else float(sustains[array]),
                "busy_iops": _busy(before),
                "trial_iops": None if then is None else _busy(then),
            }
        )
    return rows


def _busy(course: Floats) -> float | None:
    """What an array does in its busiest steps, one in a hundred left out."""
    known = course[~np.isnan(course)]
    return float(np.quantile(known, BUSY_SHARE)) if len(known) else None


def _curve(
    tiered: Tiered, told: Recorded, asked: ReplayAsked, limits: Limits
) -> dict[str, Any] | None:  # Any: JSON
    one = next((d for d in tiered.defined if d.tier.pk == asked.tier_id), None)
    if one is None or one.core.is_together:
        return None
    low, high = (one.core.max_iops * share for share in CURVE_REACH)
    maxima = np.unique(np.append(np.geomspace(low, high, N_CURVE).round(), one.core.max_iops))
    own = slice(told.n_own)
    run = curve(
        told.asked.asked[own], minimum=limits.minimum[own], maxima=maxima.astype(np.float64),
        patience=None if limits.patience is None else limits.patience[own],
    )  # fmt: skip
    return {
        "maxima": maxima.tolist(),
        "n_held_long": run.n_held.tolist(),
        "n_held": run.n_ever.tolist(),
        "worst_ms": run.worst_ms.tolist(),
    }


def _disks(
    view: View, told: Recorded, as_is: Replayed, trial: Replayed | None, *, n_steps: int
) -> list[dict[str, Any]]:  # Any: JSON
    """Those that are held longest, as it is or would be."""
    hours = held_hours_a_day(as_is.held_steps, n_steps=n_steps)
    then = None if trial is None else held_hours_a_day(trial.held_steps, n_steps=n_steps)
    most = hours if then is None else np.maximum(hours, then)
    order = [at for at in np.argsort(-most, kind="stable").tolist() if most[at] > 0][:MOST_NAMED]
    table = view.reading.estate.table("disk")
    return [
        {
            "id": int(table.ids[told.rows[at]]),
            "name": table.names[told.rows[at]],
            "held_hours": float(hours[at]),
            "worst_ms": float(as_is.worst_ms[at]),
            "p99_ms": float(as_is.p99_ms[at]),
            "trial_held_hours": None if then is None else float(then[at]),
            "trial_worst_ms": None if trial is None else float(trial.worst_ms[at]),
            "trial_p99_ms": None if trial is None else float(trial.p99_ms[at]),
            "is_newly_starved": bool(
                trial is not None and trial.starved_steps[at] > 0 and as_is.starved_steps[at] == 0
            ),
        }
        for at in order
    ]


def _course_row(view: View, told: Recorded, entity_id: int | None) -> int | None:
    if entity_id is None:
        return None
    row = view.reading.estate.table("disk").row_of(entity_id)
    found = np.flatnonzero(told.rows[: told.n_own] == (NOWHERE if row is None else row))
    return int(found[0]) if len(found) else None


def _course(
    told: Recorded, at: int, as_is: Replayed, trial: Replayed | None
) -> dict[str, Any]:  # Any: JSON
    """What one disk did, asked for, and would have done, step by step."""
    begin = datetime(*told.first_on.timetuple()[:3], tzinfo=UTC)
    until = np.flatnonzero(told.asked.is_read[at])
    end = int(until[-1]) + 1 if len(until) else 0
    run = trial or as_is
    recorded = told.done[at, :end]
    return {
        "begins_at": begin,
        "step_seconds": STEP_SECONDS,
        "recorded": [None if np.isnan(one) else round(float(one), 2) for one in recorded],
        "asked": np.round(told.asked.asked[at, :end].astype(np.float64), 2).tolist(),
        "is_estimated": told.asked.is_estimated[at, :end].tolist(),
        "is_least": told.asked.is_least[at, :end].tolist(),
        "done": np.round(run.done[0, :end].astype(np.float64), 2).tolist(),
        "delay_ms": np.round(run.delay_ms[0, :end].astype(np.float64), 2).tolist(),
    }
