"""Packs the newest steps of all disks, so that a screen of all of them need not read each."""

from datetime import datetime, timedelta

import numpy as np

from keelmark.bearings.selectors.picture import reading_at
from keelmark.compliance.selectors.serving import DISKS, collected_at, newest_steps
from keelmark.core.estate.reading import LIKELY
from keelmark.readings.performance.lately import LastSteps, keep_lately, lately_made
from keelmark.readings.performance.reading import STEP_SECONDS

AT_MOST_EVERY = timedelta(minutes=1)


def pack_lately(*, now: datetime) -> bool:
    """Pack them where a step ended since, or anything was collected; return whether so.

    Feeds deliver one after another: what they bring is packed once a minute.
    """
    made = lately_made(DISKS)
    collected = collected_at()
    boundary = datetime.fromtimestamp(
        int(now.timestamp()) // STEP_SECONDS * STEP_SECONDS, tz=now.tzinfo
    )
    if made is not None and made[0] >= boundary:
        has_more = collected is not None and collected > made[0]
        if not has_more or now - made[0] < AT_MOST_EVERY:
            return False
    reading = reading_at(day=None, quantile=LIKELY)
    ids = np.sort(reading.estate.table("disk").ids)
    steps, end_at = newest_steps(reading, ids=ids)
    keep_lately(DISKS, LastSteps(ids=ids, steps=steps.astype(np.float32), end_at=end_at), now=now)
    return True
