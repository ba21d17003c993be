"""What time it is, for whoever begins something now."""

from datetime import UTC, date, datetime


def now() -> datetime:
    """Return this moment."""
    return datetime.now(UTC)


def utc_today() -> date:
    """Return the day it is at Greenwich, by which everything is dated."""
    return now().date()
