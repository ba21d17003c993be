"""Amounts as they are typed into a sift: bytes, durations, dates, shares, yes and no."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from keelmark.core.days import EPOCH
from keelmark.core.errors import QuantityError
from keelmark.core.estate.kinds import Measure
from keelmark.core.units import parse_bytes

EPOCH_ORDINAL = EPOCH.toordinal()
_NUMBER = re.compile(r"^\d{1,15}(?:\.\d{1,6})?$")
_DURATION = re.compile(r"^(\d{1,6})\s*([dwmy])$", re.IGNORECASE)
_DAYS = {"d": 1, "w": 7, "m": 30, "y": 365}
_YES, _NO = frozenset({"yes", "true", "on"}), frozenset({"no", "false", "off"})
NOTHING = "none"  # what a field that nobody told is equal to


@dataclass(frozen=True, slots=True)
class Days:
    """So many days from or until the day looked at."""

    n_days: int


@dataclass(frozen=True, slots=True)
class OnDay:
    """A date, as days since 1970."""

    day: int


Quantity = int | float | bool | Days | OnDay


class WrongQuantityError(ValueError):
    """A text is no amount of a field's measure; says what would be one."""

    def __init__(self, *, text: str, wanted: str, examples: tuple[str, ...]) -> None:
        self.text, self.wanted, self.examples = text, wanted, examples
        super().__init__(f"“{text}” is not {wanted}")


def quantity_of(text: str, *, measure: Measure) -> Quantity:
    """Return what was typed as an amount of a measure; raise WrongQuantityError otherwise."""
    return _READERS[measure](text)


def _bytes(text: str) -> int:
    try:
        return parse_bytes(text)
    except QuantityError as exc:
        raise WrongQuantityError(
            text=text, wanted=f"an amount of bytes: {exc.why}", examples=("22TB", "1.5TiB", "0")
        ) from exc


def _count(text: str) -> float:
    if not _NUMBER.match(text):
        raise WrongQuantityError(text=text, wanted="a number", examples=("4", "1500"))
    return float(Decimal(text))


def _percent(text: str) -> float:
    bare = text.removesuffix("%").rstrip()
    if not _NUMBER.match(bare):
        raise WrongQuantityError(text=text, wanted="a percentage", examples=("80%", "12.5%"))
    return float(Decimal(bare))


def _flag(text: str) -> bool:
    low = text.lower()
    if low not in _YES | _NO:
        raise WrongQuantityError(text=text, wanted="yes or no", examples=("yes", "no"))
    return low in _YES


def _day(text: str) -> Days | OnDay:
    told = _DURATION.match(text)
    if told:
        return Days(int(told.group(1)) * _DAYS[told.group(2).lower()])
    try:
        return OnDay(date.fromisoformat(text).toordinal() - EPOCH_ORDINAL)
    except ValueError as exc:
        raise WrongQuantityError(
            text=text, wanted="a date or a number of days", examples=("90d", "3m", "2026-03-01")
        ) from exc


_READERS: dict[Measure, Callable[[str], Quantity]] = {
    Measure.BYTES: _bytes,
    Measure.COUNT: _count,
    Measure.RATE: _count,
    Measure.PERCENT: _percent,
    Measure.FLAG: _flag,
    Measure.SINCE: _day,
    Measure.UNTIL: _day,
}
