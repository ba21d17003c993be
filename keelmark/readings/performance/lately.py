"""Keeps the newest steps of many things together, for those who look at all of them at once."""

import io
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.readings.models import StepsLately
from keelmark.readings.performance.coding import Steps


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class LastSteps:
    """Steps of things, (n_things, n_parts, n_steps), NaN unread; the ids are sorted."""

    ids: Int64s
    steps: Steps
    end_at: datetime

    def along(self, ids: Int64s) -> Steps:
        """Return the same along other ids; who was not among them is unread."""
        told = np.full((len(ids), *self.steps.shape[1:]), np.nan, dtype=np.float32)
        at = np.minimum(np.searchsorted(self.ids, ids), max(len(self.ids) - 1, 0))
        is_known = self.ids[at] == ids if len(self.ids) else np.zeros(len(ids), dtype=np.bool_)
        told[is_known] = self.steps[at[is_known]]
        return told


def keep_lately(of: str, lately: LastSteps, *, now: datetime) -> None:
    """Keep the newest steps in the place of those before."""
    content = io.BytesIO()
    np.savez(content, ids=lately.ids, steps=lately.steps.astype(np.float32))
    StepsLately.objects.update_or_create(
        of=of,
        defaults={"made_at": now, "end_at": lately.end_at, "content": content.getvalue()},
    )


def lately_made(of: str) -> tuple[datetime, datetime] | None:
    """Return when what is kept was made and where it ends, None where nothing is kept."""
    return StepsLately.objects.filter(of=of).values_list("made_at", "end_at").first()


def lately_kept(of: str) -> LastSteps | None:
    """Return what is kept."""
    kept = StepsLately.objects.filter(of=of).first()
    if kept is None:
        return None
    with np.load(io.BytesIO(kept.content), allow_pickle=False) as told:
        return LastSteps(ids=told["ids"], steps=told["steps"], end_at=kept.end_at)
