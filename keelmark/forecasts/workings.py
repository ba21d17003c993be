"""The arithmetic behind each shown figure, with this pool's own numbers."""

from dataclasses import dataclass, field
from datetime import date, timedelta

from keelmark.core.ledger import Ledger
from keelmark.estate.models import Pool
from keelmark.forecasts.models import PoolForecast

WEEK_DAYS = 7


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One line of a working: an amount in bytes, a date, or a text."""

    label: str
    sign: str = ""
    amount_bytes: int | None = None
    text: str = ""
    on: date | None = None
    is_result: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Working:
    """How one figure comes about."""

    figure: str
    title: str
    says: str
    steps: list[Step] = field(default_factory=list)


def workings_of(
    pool: Pool, *, ledger: Ledger, forecast: PoolForecast | None, today: date
) -> list[Working]:
    """Return the working of every figure on a pool's page."""
    workings = [
        _used(ledger),
        _free(ledger),
        _plannable(ledger),
        _overcommit(ledger),
        _exposure(ledger),
    ]
    if forecast is not None:
        workings += [_ends(ledger, forecast=forecast, today=today), _order_by(ledger, forecast)]
    return workings


def _used(ledger: Ledger) -> Working:
    steps = [Step(label="used", amount_bytes=ledger.used_bytes, is_result=True)]
    if ledger.usable_bytes:
        share = 100 * ledger.used_bytes / ledger.usable_bytes
        steps += [
            Step(label="of usable", amount_bytes=ledger.usable_bytes),
            Step(label="fill", text=f"{share:.1f} %", is_result=True),
        ]
    return Working(
        figure="used",
        title="used",
        says="Bytes written in the pool, as the array counts them.",
        steps=steps,
    )


def _free(ledger: Ledger) -> Working:
    return Working(
        figure="free",
        title="free",
        says="Usable less used. Not all of it may be promised: see plannable.",
        steps=[
            Step(label="usable", amount_bytes=ledger.usable_bytes),
            Step(label="used", sign="−", amount_bytes=ledger.used_bytes),
            Step(label="free", amount_bytes=ledger.free_bytes, is_result=True),
        ],
    )


def _plannable(ledger: Ledger) -> Working:
    limit = ledger.marks.limit_percent
    left = ledger.limit_bytes - ledger.used_bytes - ledger.reserved_bytes
    steps = [
        Step(label="usable", amount_bytes=ledger.usable_bytes),
        Step(label="limit mark", sign="×", text=f"{limit} %"),
        Step(label="line not to pass", amount_bytes=ledger.limit_bytes, is_result=True),
        Step(label="used", sign="−", amount_bytes=ledger.used_bytes),
        Step(label="thick, not yet written", sign="−", amount_bytes=ledger.reserved_bytes),
    ]
    if left < 0:
        steps.append(Step(label="would leave", amount_bytes=left))
    steps.append(Step(label="plannable", amount_bytes=ledger.plannable_bytes, is_result=True))
    return Working(
        figure="plannable",
        title="plannable",
        says="What may still be promised without passing the limit mark; never below zero.",
        steps=steps,
    )


def _overcommit(ledger: Ledger) -> Working:
    percent = ledger.overcommit_percent
    if percent is None:
        says = "The array does not tell what it promised, so this cannot be known."
        return Working(figure="overcommit", title="overcommit", says=says)
    return Working(
        figure="overcommit",
        title="overcommit",
        says="Sizes promised to all volumes, in percent of usable.",
        steps=[
            Step(label="provisioned", amount_bytes=ledger.provisioned_bytes),
            Step(label="usable", sign="÷", amount_bytes=ledger.usable_bytes),
            Step(label="overcommit", text=f"{percent:.0f} %", is_result=True),
            Step(
                label="caution, limit",
                text=f"{ledger.marks.overcommit_caution_percent} %, "
                f"{ledger.marks.overcommit_limit_percent} %",
            ),
        ],
    )


def _exposure(ledger: Ledger) -> Working:
    if ledger.exposure_bytes is None:
        says = "The array does not tell what it promised, so this cannot be known."
        return Working(figure="exposure", title="exposure", says=says)
    return Working(
        figure="exposure",
        title="exposure",
        says="Bytes missing if every volume filled what it was promised.",
        steps=[
            Step(label="provisioned", amount_bytes=ledger.provisioned_bytes),
            Step(label="usable", sign="−", amount_bytes=ledger.usable_bytes),
            Step(label="exposure", amount_bytes=ledger.exposure_bytes, is_result=True),
        ],
    )


def _past(ledger: Ledger) -> Working:
    """The working where the limit mark is passed: what would bring it back."""
    top_up = ledger.top_up_bytes(demand_bytes=ledger.used_bytes)
    over = ledger.used_bytes - ledger.limit_bytes
    return Working(
        figure="ends",
        title="past the limit mark",
        says="Used stands past the limit mark now; no forecast is needed. Either way back will do.",
        steps=[
            Step(label="usable", amount_bytes=ledger.usable_bytes),
            Step(label="limit mark", sign="×", text=f"{ledger.marks.limit_percent} %"),
            Step(label="line not to pass", amount_bytes=ledger.limit_bytes, is_result=True),
            Step(label="used now", sign="−", amount_bytes=ledger.used_bytes),
            Step(label="past the line by", amount_bytes=over, is_result=True),
            Step(label="back by freeing", amount_bytes=over),
            Step(label="or by adding usable", amount_bytes=top_up),
        ],
    )


def _ends(ledger: Ledger, *, forecast: PoolForecast, today: date) -> Working:
    if ledger.used_bytes >= ledger.limit_bytes:
        return _past(ledger)
    left = ledger.limit_bytes - ledger.used_bytes
    steps = [
        Step(label="usable", amount_bytes=ledger.usable_bytes),
        Step(label="limit mark", sign="×", text=f"{ledger.marks.limit_percent} %"),
        Step(label="line to reach", amount_bytes=ledger.limit_bytes, is_result=True),
        Step(label="used now", sign="−", amount_bytes=ledger.used_bytes),
        Step(label="left to the line", amount_bytes=left, is_result=True),
    ]
    if forecast.growth_per_day is None:
        steps.append(Step(label="growth", text=forecast.unjudged_because))
    else:
        a_week = round(forecast.growth_per_day * WEEK_DAYS)
        steps.append(Step(label="growth a week", sign="÷", amount_bytes=a_week))
        if left > 0 and a_week > 0:
            steps.append(
                Step(label="at that pace alone", text=f"{left / a_week * WEEK_DAYS:.0f} d")
            )
    for name, label in (
        ("likely", "likely, even chance"),
        ("early", "early, 1 in 10"),
        ("late", "late, 9 in 10"),
    ):
        on = getattr(forecast, f"limit_{name}_on")
        text = "beyond 2 y" if on is None else f"{(on - today).days} d"
        steps.append(Step(label=label, on=on, text=text, is_result=name == "likely"))
    return Working(
        figure="ends",
        title="likely date, limit mark",
        says="First day on which used reaches the limit mark, at even chance. The pace is weighed "
        "from several windows by how well each would have forecast the known past. Readings "
        "wander about it, so the mark is touched a little sooner than the pace alone says.",
        steps=steps,
    )


def _order_by(ledger: Ledger, forecast: PoolForecast) -> Working:
    early = forecast.limit_early_on
    steps = [
        Step(label="early date", on=early, text="beyond 2 y" if early is None else ""),
        Step(label="lead time", sign="−", text=f"{ledger.marks.lead_time_days} d"),
    ]
    order_on = order_by(early, lead_time_days=ledger.marks.lead_time_days)
    text = "nothing to order" if order_on is None else ""
    steps.append(Step(label="order by", on=order_on, text=text, is_result=True))
    return Working(
        figure="order_by",
        title="order-by date",
        says="Early date less the time it takes to buy and install.",
        steps=steps,
    )


def order_by(early_on: date | None, *, lead_time_days: int) -> date | None:
    """Return the last day on which an order still comes in time, one chance in ten aside."""
    return None if early_on is None else early_on - timedelta(days=lead_time_days)
