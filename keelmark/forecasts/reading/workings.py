"""The arithmetic behind each shown figure, with the thing's own numbers."""

from dataclasses import dataclass, field, replace
from datetime import date

from keelmark.core.ledger import Ledger, order_by, top_up
from keelmark.core.units import PERCENT, percent_of
from keelmark.estate.models import Kind
from keelmark.forecasts.reading.standing import Standing, Triple

WEEK_DAYS = 7


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One line of a working: an amount in the working's unit, a date, or a text."""

    label: str
    sign: str = ""
    amount: int | None = None
    text: str = ""
    on: date | None = None
    is_result: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Working:
    """How one figure comes about."""

    figure: str
    title: str
    says: str
    unit: str = "bytes"
    steps: list[Step] = field(default_factory=list)


@dataclass(frozen=True, slots=True, kw_only=True)
class Books:
    """Of what books are: who counts what is used, what the size is called, who was promised."""

    says_used: str
    size_name: str = "usable"
    consumers: str = "volume"
    is_shared_out: bool = True  # to consumers, so that it may be overcommitted


BOOKS_OF_POOL = Books(says_used="Bytes written in the pool, as the array counts them.")


def workings_of_ledger(ledger: Ledger, *, of: Books = BOOKS_OF_POOL) -> list[Working]:
    """Return the working of every figure of a thing's books."""
    told = [_used(ledger, of=of), _free(ledger, of=of)]
    if not of.is_shared_out:
        return told
    return [
        *told,
        _plannable(ledger, of=of),
        _overcommit(ledger, of=of),
        _exposure(ledger, of=of),
    ]


def _used(ledger: Ledger, *, of: Books) -> Working:
    steps = [Step(label="used", amount=ledger.used_bytes, is_result=True)]
    if ledger.usable_bytes:
        share = 100 * ledger.used_bytes / ledger.usable_bytes
        steps += [
            Step(label=f"of {of.size_name}", amount=ledger.usable_bytes),
            Step(label="fill", text=f"{share:.1f} %", is_result=True),
        ]
    return Working(
        figure="used",
        title="used",
        says=of.says_used,
        steps=steps,
    )


def _free(ledger: Ledger, *, of: Books) -> Working:
    return Working(
        figure="free",
        title="free",
        says=f"{of.size_name.capitalize()} less used."
        + (" Not all of it may be promised: see plannable." if of.is_shared_out else ""),
        steps=[
            Step(label=of.size_name, amount=ledger.usable_bytes),
            Step(label="used", sign="−", amount=ledger.used_bytes),
            Step(label="free", amount=ledger.free_bytes, is_result=True),
        ],
    )


def _plannable(ledger: Ledger, *, of: Books) -> Working:
    limit = ledger.marks.limit_percent
    left = ledger.limit_bytes - ledger.used_bytes - ledger.reserved_bytes
    steps = [
        Step(label=of.size_name, amount=ledger.usable_bytes),
        Step(label="limit mark", sign="×", text=f"{limit} %"),
        Step(label="line not to pass", amount=ledger.limit_bytes, is_result=True),
        Step(label="used", sign="−", amount=ledger.used_bytes),
        Step(
            label="thick, not yet written", sign="−",
            amount=ledger.reserved_bytes - ledger.held_bytes,
        ),
    ]  # fmt: skip
    if ledger.held_bytes:
        steps.append(Step(label="held by accepted scenarios", sign="−", amount=ledger.held_bytes))
    if left < 0:
        steps.append(Step(label="would leave", amount=left))
    steps.append(Step(label="plannable", amount=ledger.plannable_bytes, is_result=True))
    return Working(
        figure="plannable",
        title="plannable",
        says="What may still be promised without passing the limit mark; never below zero.",
        steps=steps,
    )


def _overcommit(ledger: Ledger, *, of: Books) -> Working:
    percent = ledger.overcommit_percent
    if percent is None:
        says = "Nobody tells what was promised, so this cannot be known."
        return Working(figure="overcommit", title="overcommit", says=says)
    return Working(
        figure="overcommit",
        title="overcommit",
        says=f"Sizes promised to every {of.consumers}, in percent of {of.size_name}.",
        steps=[
            Step(label="provisioned", amount=ledger.provisioned_bytes),
            Step(label=of.size_name, sign="÷", amount=ledger.usable_bytes),
            Step(label="overcommit", text=f"{percent:.0f} %", is_result=True),
            Step(
                label="caution, limit",
                text=f"{ledger.marks.overcommit_caution_percent} %, "
                f"{ledger.marks.overcommit_limit_percent} %",
            ),
        ],
    )


def _exposure(ledger: Ledger, *, of: Books) -> Working:
    if ledger.exposure_bytes is None:
        says = "Nobody tells what was promised, so this cannot be known."
        return Working(figure="exposure", title="exposure", says=says)
    return Working(
        figure="exposure",
        title="exposure",
        says=f"Bytes missing if every {of.consumers} filled what it was promised.",
        steps=[
            Step(label="provisioned", amount=ledger.provisioned_bytes),
            Step(label=of.size_name, sign="−", amount=ledger.usable_bytes),
            Step(label="exposure", amount=ledger.exposure_bytes, is_result=True),
        ],
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class End:
    """What leads to the end of anything; amounts in its unit."""

    stands_at: int | None
    size: int | None
    limit_percent: int | None
    growth_per_day: float | None
    unjudged_because: str
    limit: tuple[date | None, date | None, date | None]  # early, likely, late
    lead_time_days: int
    unit: str
    is_pool: bool = False
    held_bytes: int = 0  # at most, by accepted scenarios

    @property
    def size_name(self) -> str:
        """What all of it is called."""
        return "usable" if self.is_pool else "size"


def end_of(standing: Standing, *, limit: Triple, growth: float, lead_time_days: int) -> End:
    """Return what leads to the end of a thing if it grew so many times as fast."""
    kept, scale = standing.forecast, standing.scale
    a_day = kept.growth_per_day
    return End(
        stands_at=standing.stands_at,
        size=None if scale is None else scale.size,
        limit_percent=None if scale is None else scale.limit_percent,
        growth_per_day=None if a_day is None else a_day * growth,
        unjudged_because=kept.unjudged_because,
        limit=limit,
        lead_time_days=lead_time_days,
        unit=standing.metric.unit,
        is_pool=standing.entity.kind == Kind.POOL,
        held_bytes=sum(one.most_bytes for one in standing.holds),
    )


def workings_of_end(end: End, *, today: date) -> list[Working]:
    """Return how the likely and the order-by date come about; of what has no size, its pace."""
    if end.size is None or end.limit_percent is None:
        return [_endless(end)]
    line = percent_of(end.size, end.limit_percent)
    if end.stands_at is not None and end.stands_at >= line:
        return [_past(end, line=line), _order_by(end)]
    return [_ends(end, line=line, today=today), _order_by(end)]


def _line(end: End, *, line: int, name: str) -> list[Step]:
    return [
        Step(label=end.size_name, amount=end.size),
        Step(label="limit mark", sign="×", text=f"{end.limit_percent} %"),
        Step(label=name, amount=line, is_result=True),
    ]


def _pace(end: End) -> Step:
    if end.growth_per_day is None:
        return Step(label="growth", text=end.unjudged_because)
    return Step(label="growth a week", amount=round(end.growth_per_day * WEEK_DAYS))


def _endless(end: End) -> Working:
    return Working(
        figure="ends",
        title="nothing ends it",
        says="No size of it is known that it could reach.",
        unit=end.unit,
        steps=[Step(label="stands at", amount=end.stands_at), _pace(end)],
    )


def _past(end: End, *, line: int) -> Working:
    """The working where the limit mark is passed: what would bring it back."""
    stands, size, percent = end.stands_at or 0, end.size or 0, end.limit_percent or PERCENT
    added = top_up(stands, size=size, limit_percent=percent)
    return Working(
        figure="ends",
        title="past the limit mark",
        says="It stands past the limit mark now; no forecast is needed. Either way back will do.",
        unit=end.unit,
        steps=[
            *_line(end, line=line, name="line not to pass"),
            Step(label="stands at", sign="−", amount=stands),
            Step(label="past the line by", amount=stands - line, is_result=True),
            Step(label="back by freeing", amount=stands - line),
            Step(label=f"or by adding to {end.size_name}", amount=added),
        ],
    )


def _ends(end: End, *, line: int, today: date) -> Working:
    left = None if end.stands_at is None else line - end.stands_at
    steps = [
        *_line(end, line=line, name="line to reach"),
        Step(label="stands at", sign="−", amount=end.stands_at),
        Step(label="left to the line", amount=left, is_result=True),
    ]
    if end.held_bytes:
        steps.append(Step(label="held by accepted scenarios", sign="−", amount=end.held_bytes))
    pace = _pace(end)
    if pace.amount is not None:
        pace = replace(pace, sign="÷")
    steps.append(pace)
    if left and pace.amount and pace.amount > 0 and not end.held_bytes:
        days = left / pace.amount * WEEK_DAYS
        steps.append(Step(label="at that pace alone", text=f"{days:.0f} d"))
    for on, label in zip(
        end.limit, ("early, 1 in 10", "likely, even chance", "late, 9 in 10"), strict=True
    ):
        text = "beyond 2 y" if on is None else f"{(on - today).days} d"
        steps.append(Step(label=label, on=on, text=text, is_result=label.startswith("likely")))
    return Working(
        figure="ends",
        title="likely date, limit mark",
        says="First day on which it reaches the limit mark, at even chance. Plain ways to go on "
        "are weighed by how well each would have forecast the known past, then corrected by what "
        "was learnt from other histories. Readings wander about the path and paces change, so the "
        "mark may be touched sooner or later than its pace alone says.",
        unit=end.unit,
        steps=steps,
    )


def _order_by(end: End) -> Working:
    early = end.limit[0]
    steps = [
        Step(label="early date", on=early, text="beyond 2 y" if early is None else ""),
        Step(label="lead time", sign="−", text=f"{end.lead_time_days} d"),
    ]
    order_on = order_by(early, lead_time_days=end.lead_time_days)
    text = "nothing to order" if order_on is None else ""
    steps.append(Step(label="order by", on=order_on, text=text, is_result=True))
    return Working(
        figure="order_by",
        title="order-by date",
        says="Early date less the time it takes to buy and install.",
        steps=steps,
    )
