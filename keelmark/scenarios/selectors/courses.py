"""How one thing goes on with a scenario: what it holds more, how large it is, when it ends."""

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from django.contrib.auth.models import User
from rest_framework.exceptions import NotFound

from keelmark.bearings.selectors.picture import Lately, drawn_of, reading_at
from keelmark.bearings.selectors.views import Bearing, view_for
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.reading import LIKELY
from keelmark.core.scenario.changes import Changes, changes_in
from keelmark.core.scenario.compiling import Compiled
from keelmark.scenarios.selectors.kept import planned_for
from keelmark.scenarios.selectors.moving import Dates, dates_in
from keelmark.scenarios.selectors.placing import NOTHING_PLANNED

KEPT = 4  # scenarios of which courses were asked for
_CHANGES: Lately[tuple[int, str], dict[str, Changes]] = Lately(KEPT)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Course:
    """Of each day from today on, (n_days,): bytes held more than is told without it, and its size.

    Both are empty where the scenario does not touch it. ``sizes`` is 0 where nobody knows.
    """

    first_on: date
    added: Float64s
    sizes: Int64s
    limit_percent: int
    before: Dates
    after: Dates


def course_for(actor: User, *, scenario_id: int, entity_id: int) -> Course:
    """Return the course of a thing with a scenario that a person may see; raise NotFound else."""
    view = view_for(actor, bearing=Bearing(scenario_id=scenario_id))
    planned = planned_for(actor, scenario_id)
    drawn = drawn_of(planned)
    estate = drawn.compiled.estate
    for kind, ends in drawn.ends.items():
        row = estate.table(kind).row_of(entity_id)
        if row is None or not view.seen[kind][row]:
            continue
        change = _changes(drawn.compiled)[kind]
        at = np.flatnonzero(change.rows == row)
        # What accepted scenarios hold, this one perhaps among them, is told without it already.
        held = _changes(drawn_of(NOTHING_PLANNED).compiled)[kind]
        told = held.added[np.flatnonzero(held.rows == row)].sum(axis=0)
        lead = int(estate.marks[kind].lead_time_days[row])
        return Course(
            first_on=EPOCH + timedelta(days=estate.day),
            added=change.added[at[0]] - told if len(at) else np.zeros(0),
            sizes=change.sizes[at[0]] if len(at) else np.zeros(0, dtype=np.int64),
            limit_percent=int(estate.marks[kind].limit_percent[row]),
            before=dates_in(ends.before, row, lead=lead, day=estate.day),
            after=dates_in(ends.after, row, lead=lead, day=estate.day),
        )
    raise NotFound(f"No thing {entity_id} that has a course is seen.")


def _changes(told: Compiled) -> dict[str, Changes]:
    kept = _CHANGES.get(told.estate.key)
    if kept is not None:
        return kept
    now = reading_at(day=None, quantile=LIKELY)
    return _CHANGES.keep(told.estate.key, changes_in(told, now=now))
