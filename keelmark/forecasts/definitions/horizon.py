"""How far forecasts reach, what they learn from, and the marks whose days they tell."""

from datetime import date, timedelta

HORIZON_DAYS = 730
LEARNT_DAYS = 400
ALLOWED_AGE = timedelta(hours=36)  # of readings, where no feed of its own says
SAID_BEFORE_DAYS = {"week": 7, "month": 30}
FAR_ON = date(9999, 12, 31)
NO_MARK = 2**62  # no series ever stands here
MARKS = ("caution", "limit", "full")
