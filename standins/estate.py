"""The whole made-up estate of a size, the same for the same seed."""

from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta

from standins.arrays import HISTORY_DAYS, Array, make_array
from standins.compute import Cluster, make_clusters
from standins.situations import SIZES

DAY_SECONDS = 86_400


@dataclass(slots=True, kw_only=True)
class Estate:
    """All arrays, and the day on which the live part begins."""

    anchor_on: date
    arrays: list[Array]
    clusters: list[Cluster] = field(default_factory=list)

    def day_of(self, moment: datetime) -> float:
        """Day index of a moment; whole at the end of a day, HISTORY_DAYS − 1 = eve of anchor."""
        anchor = datetime(*self.anchor_on.timetuple()[:3], tzinfo=UTC)
        return HISTORY_DAYS - 1 + (moment - anchor).total_seconds() / DAY_SECONDS

    def on(self, day: int) -> date:
        """Date of a day index."""
        return self.anchor_on + timedelta(days=day - HISTORY_DAYS)


def make_estate(*, size: str, anchor_on: date, seed: int = 7) -> Estate:
    """Build the estate of a size (`small` or `demo`), the same for the same seed."""
    arrays = [make_array(story, anchor_on=anchor_on, seed=seed) for story in SIZES[size]]
    return Estate(anchor_on=anchor_on, arrays=arrays, clusters=make_clusters(arrays, size=size))
