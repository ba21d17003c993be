"""Lines on an object's gauge, and the time it takes to buy."""

from dataclasses import asdict, dataclass

from keelmark.core.errors import RangeError
from keelmark.core.units import PERCENT


@dataclass(frozen=True, slots=True, kw_only=True)
class Marks:
    """Lines on an object's gauge and the time it takes to buy.

    Percent are whole and of usable (fill marks) or of usable again (overcommit marks).
    """

    caution_percent: int = 80
    limit_percent: int = 90
    overcommit_caution_percent: int = 150
    overcommit_limit_percent: int = 200
    lead_time_days: int = 45

    def __post_init__(self) -> None:
        """Refuse marks out of order."""
        if not 0 < self.caution_percent < self.limit_percent <= PERCENT:
            raise RangeError(
                argument="caution_percent, limit_percent",
                found=(self.caution_percent, self.limit_percent),
                wanted="0 < caution < limit ≤ 100",
            )
        if not 0 < self.overcommit_caution_percent < self.overcommit_limit_percent:
            raise RangeError(
                argument="overcommit_caution_percent, overcommit_limit_percent",
                found=(self.overcommit_caution_percent, self.overcommit_limit_percent),
                wanted="0 < caution < limit",
            )
        if self.lead_time_days < 0:
            raise RangeError(
                argument="lead_time_days", found=self.lead_time_days, wanted="0 or more"
            )


def marks_in_order(**told: int) -> Marks:
    """Return marks of which each caution lies below its limit.

    Nearest marks come from several levels, an object's own and its site's, and may cross: the
    limit then stands, and the caution steps down to just below it.

    Parameters
    ----------
    **told : int
        Fields of Marks; what is not told has its default.

    Raises
    ------
    RangeError
        If a limit is no possible mark.
    """
    marks = DEFAULT_MARKS | told
    for caution, limit in MARK_PAIRS:
        marks[caution] = min(marks[caution], marks[limit] - 1)
    return Marks(**marks)


DEFAULT = Marks()
DEFAULT_MARKS: dict[str, int] = asdict(DEFAULT)
MARK_PAIRS = (
    ("caution_percent", "limit_percent"),
    ("overcommit_caution_percent", "overcommit_limit_percent"),
)
