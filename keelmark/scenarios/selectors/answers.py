"""What would keep every limit mark until a date with a scenario, and how much growth it stands."""

from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Final

import numpy as np
from django.contrib.auth.models import User

from keelmark.bearings.selectors.picture import Drawn, day_of, drawn_of, drawn_once, reading_at
from keelmark.bearings.selectors.views import Bearing, View, view_for
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.reading import LIKELY, Reading
from keelmark.core.forecast.room import room_until
from keelmark.core.scenario.compiling import Dated, Told
from keelmark.core.scenario.least import Least, Wanting, least_that_keeps, with_room
from keelmark.core.scenario.moves import ExtendPool, Migrate, Move
from keelmark.core.scenario.outcome import planned_of
from keelmark.core.scenario.standing import Stands, growth_that_is_stood
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS
from keelmark.scenarios.models import Scenario
from keelmark.scenarios.selectors.kept import (
    Moves,
    PlannedMoves,
    kept,
    planned_in,
    standing_revision,
)
from keelmark.scenarios.selectors.moving import name_of

TRIES: Final = 5  # until what is told holds by the dates themselves
RESOLVED: Final = 1  # of them that look anew; the others add what is missing
TOLD_TO: Final = 1 / 2_000  # of a size: what is left is told to a 4,096th of a mark
MARGIN: Final = 1.02  # of what a try left short
FIRST_DAYS: Final = 4  # by which the first is done: what is reached before cannot be helped
NEAR_SHARE: Final = 0.01  # of the best: nearer is not looked for
IN_TIME: Final = 0.7  # of the days to an early date: later, a part of that chance has come


@dataclass(frozen=True, slots=True, kw_only=True)
class Short:
    """A pool that does not hold its limit mark until the date, and when it would with the answer.

    ``early_on`` is one chance in ten; None: not within the horizon.
    """

    id: int
    name: str
    missing_bytes: int
    early_on: date | None
    after_on: date | None


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerTold:
    """The fewest bytes to add and to move; ``growth_times`` is None where not even 1 is stood."""

    until_on: date
    short: list[Short]
    moves: Moves
    lines: list[Told]
    added_bytes: int
    moved_bytes: int
    bound_bytes: int
    is_exact: bool
    holds: bool
    n_unjudged: int
    growth_times: float | None
    fails_first: str | None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Question:
    """The pools that must hold, by their rows, and the volumes on them."""

    pools: Int64s
    volumes: Int64s
    size_bytes: Int64s
    left_bytes: Float64s
    wanting: Wanting


def answer_of(
    actor: User, scenario: Scenario, *, scope: str, until_on: date, group_bytes: int | None
) -> AnswerTold:
    """Return what would keep every limit mark of the pools in sight until a date.

    What is found is tried as moves of the scenario; where a date still comes too soon, for what
    moves grows otherwise than what it leaves, more is asked for.
    """
    planned = planned_in(standing_revision(scenario))
    view = view_for(actor, bearing=Bearing(scope=scope, scenario_id=scenario.pk))
    until = day_of(until_on) - view.reading.estate.day
    drawn = drawn_of(planned)
    question = _question(view, drawn, until=until)
    found = _found(drawn, question, planned=planned, until=until, group_bytes=group_bytes)
    stands = _stands(drawn, question, until=until)
    lines = {one.number: one for one in found.after.compiled.told}
    return AnswerTold(
        until_on=until_on,
        short=_short(drawn, found.after, question),
        moves=kept(found.moves, notes={}),
        lines=[lines[one.number] for one in found.moves],
        added_bytes=sum(
            one.move.added_bytes for one in found.moves if isinstance(one.move, ExtendPool)
        ),
        moved_bytes=round(found.least.moved_bytes),
        bound_bytes=round(found.bound_bytes),
        is_exact=found.least.is_exact, holds=found.holds,
        n_unjudged=int(np.isnan(question.wanting.left_bytes).sum()),
        growth_times=stands.times or None,
        fails_first=None if stands.first == NOWHERE else name_of(_now(), "pool", stands.first),
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Found:
    """The moves that were tried last, and the scenario with them.

    The bound is of what was asked for first: later tries ask for more.
    """

    moves: list[Dated]
    after: Drawn
    least: Least
    bound_bytes: float
    holds: bool


def _found(
    drawn: Drawn, question: _Question, *, planned: PlannedMoves, until: int,
    group_bytes: int | None,
) -> _Found:  # fmt: skip
    """Look for the least, try it by the dates themselves, and ask for what is still short."""
    wanting = question.wanting
    least = least_that_keeps(wanting, gap_share=NEAR_SHARE)
    bound_bytes = least.bound_bytes
    early = _early(drawn, question)
    for attempt in range(TRIES):
        moves = _moves(
            drawn, question, least, planned=planned, group_bytes=group_bytes, early=early
        )
        after = drawn_once(replace(planned, moves=(*planned.moves, *moves)))
        early = np.fmin(early, _early(after, question))  # of who takes it, too
        missing = -np.minimum(np.nan_to_num(_left_with(after, question, until=until)), 0.0)
        missing = np.where(missing > TOLD_TO * question.size_bytes, missing, 0.0)
        if not missing.any() or attempt == TRIES - 1:
            break
        if attempt < RESOLVED:
            wanting = with_room(wanting, more_bytes=MARGIN * missing)
            # More was asked for than was short: what that leaves out may do.
            least = replace(least_that_keeps(wanting, gap_share=NEAR_SHARE), is_exact=False)
        else:  # what is still missing is added
            more = np.ceil(MARGIN * missing / (wanting.limit_percent / 100.0))
            least = replace(least, added_bytes=least.added_bytes + more, is_exact=False)
    return _Found(
        moves=moves, after=after, least=least, bound_bytes=bound_bytes, holds=not missing.any()
    )


def _left(drawn: Drawn, pools: Int64s, *, until: int) -> Float64s:
    """What may still come onto some pools, with a plan, so that their limit marks hold."""
    told = planned_of(drawn.compiled, now=_now(), kind="pool", first_day=FIRST_DAYS)
    return room_until(
        told.of.of_rows(pools), mark_bytes=told.marks[pools], days=until + told.ages[pools],
        horizon_days=told.bytes.shape[1], planned_bytes=told.bytes[pools],
    )  # fmt: skip


def _left_with(after: Drawn, question: _Question, *, until: int) -> Float64s:
    """The same of all that are asked for; anew of those alone that the plan now touches."""
    left = question.left_bytes.copy()
    touched = np.isin(question.pools, after.ends["pool"].rows)
    left[touched] = _left(after, question.pools[touched], until=until)
    return left


def _now() -> Reading:
    return reading_at(day=None, quantile=LIKELY)


def _question(view: View, drawn: Drawn, *, until: int) -> _Question:
    """Pools of arrays in sight that are there until then; pools over volumes lie on these."""
    estate = drawn.compiled.estate
    n = len(_now().estate.table("pool"))
    # What moves is likely to hold so much by then; the bad case is in what is left.
    reading = reading_at(day=estate.day + until, quantile=LIKELY, planned=view.planned)
    is_there = view.shown_along("pool", kinds=("pool", "datastore")) & reading.is_there["pool"]
    pools = np.flatnonzero((is_there & (reading.link("pool", "array") != NOWHERE))[:n])
    place = np.full(len(is_there) + 1, NOWHERE, dtype=np.int64)
    place[pools] = np.arange(len(pools))
    lies = place[reading.link("volume", "pool")]
    volumes = np.flatnonzero((lies != NOWHERE) & reading.is_there["volume"])
    left = _left(drawn, pools, until=until)
    return _Question(
        pools=pools, volumes=volumes, size_bytes=reading.books["pool"].size.values[pools],
        left_bytes=left,
        wanting=Wanting(
            left_bytes=left, group=_groups(reading, pools),
            limit_percent=estate.marks["pool"].limit_percent[pools],
            volume_pool=lies[volumes], volume_bytes=_on_pool(reading, volumes),
        ),
    )  # fmt: skip


def _groups(reading: Reading, pools: Int64s) -> Int64s:
    """Pools of one class at one site may take from each other."""
    classes = reading.estate.table("pool").columns.get("class")
    codes = classes.codes[pools] if isinstance(classes, Words) else np.zeros(len(pools))
    site = reading.link("pool", "site")[pools]
    both = np.column_stack([codes.astype(np.int64), site])
    return np.unique(both, axis=0, return_inverse=True)[1].ravel().astype(np.int64)


def _on_pool(reading: Reading, rows: Int64s) -> Float64s:
    """What volumes will hold of their pools: what is written and their snapshots, all if thick."""
    table, books = reading.estate.table("volume"), reading.books["volume"]
    snapshots, thick = table.amounts("snapshots"), table.columns.get("thickness")
    # No more is written to one than it was cut to.
    written = np.where(
        books.size.is_known, np.minimum(books.used.values, books.size.values), books.used.values
    )
    held = (written + snapshots.values).astype(np.float64)
    if isinstance(thick, Words) and "thick" in thick.words:
        is_thick = thick.codes == thick.words.index("thick")
        held = np.where(is_thick & books.size.is_known, books.size.values, held)
    told: Float64s = held[rows]
    return told


def _moves(
    drawn: Drawn, question: _Question, least: Least, *, planned: PlannedMoves,
    group_bytes: int | None, early: Float64s,
) -> list[Dated]:  # fmt: skip
    """The answer as moves, each in time for the mark that it keeps."""
    estate, rows = drawn.compiled.estate, question.pools
    ids, volume_ids = estate.table("pool").ids[rows], estate.table("volume").ids
    days = estate.day + np.maximum((IN_TIME * early).astype(np.int64), 1)
    told: list[tuple[int, Move]] = []
    ways: dict[tuple[int, int], list[int]] = {}
    for volume, to in zip(least.volume.tolist(), least.target.tolist(), strict=True):
        pool = int(question.wanting.volume_pool[volume])
        ways.setdefault((pool, to), []).append(int(volume_ids[question.volumes[volume]]))
    for (pool, to), what in sorted(ways.items()):
        told.append((int(days[pool]), Migrate(what=tuple(what), to=int(ids[to]), n_days=1)))
    for pool in np.flatnonzero(least.added_bytes > 0).tolist():
        added = int(least.added_bytes[pool])
        if group_bytes:
            added = -(-added // group_bytes) * group_bytes
        told.append((int(days[pool]), ExtendPool(pool=int(ids[pool]), added_bytes=added)))
    first = max((one.number for one in planned.moves), default=0) + 1
    return [
        Dated(number=number, day=day, move=move)
        for number, (day, move) in enumerate(sorted(told, key=lambda one: one[0]), start=first)
    ]


def _early(drawn: Drawn, question: _Question) -> Float64s:
    """Days until each pool may reach its limit mark, the horizon where it does not."""
    early = drawn.ends["pool"].after.early_days[question.pools]
    return np.minimum(np.nan_to_num(early, nan=HORIZON_DAYS), HORIZON_DAYS)


def _short(drawn: Drawn, after: Drawn, question: _Question) -> list[Short]:
    """Pools that do not hold, the first end first."""
    reading, day = _now(), drawn.compiled.estate.day

    def on(days: float) -> date | None:
        return EPOCH + timedelta(days=day + int(days)) if np.isfinite(days) else None

    before, then = drawn.ends["pool"].after.early_days, after.ends["pool"].after.early_days
    wants = np.nan_to_num(-question.wanting.left_bytes)
    rows = [(float(before[row]), row, float(wants[at])) for at, row in
            enumerate(question.pools.tolist()) if wants[at] > 0]  # fmt: skip
    return [
        Short(
            id=int(reading.estate.table("pool").ids[row]), name=name_of(reading, "pool", row),
            missing_bytes=round(missing), early_on=on(days), after_on=on(float(then[row])),
        )
        for days, row, missing in sorted(rows)
    ]  # fmt: skip


def _stands(drawn: Drawn, question: _Question, *, until: int) -> Stands:
    """How many times its forecast growth the plan stands at even odds, and which pool fails."""
    told, rows = planned_of(drawn.compiled, now=_now(), kind="pool"), question.pools
    stands = growth_that_is_stood(
        told.of.of_rows(rows), mark_bytes=told.marks[rows], planned_bytes=told.bytes[rows],
        until_days=until + told.ages[rows],
    )  # fmt: skip
    first = NOWHERE if stands.first == NOWHERE else int(rows[stands.first])
    return Stands(times=stands.times, first=first)
