"""The pools' list as a file."""

import csv
import io

from django.http import HttpResponse

from keelmark.forecasts.rows import PoolRow

COLUMNS = (
    "array_name", "name", "site_name", "service_class", "attention", "attention_because",
    "usable_bytes", "used_bytes", "free_bytes", "plannable_bytes", "reserved_bytes",
    "provisioned_bytes", "exposure_bytes", "overcommit_percent", "growth_bytes_per_day",
    "caution_percent", "limit_percent", "lead_time_days", "order_by_on", "read_at",
)  # fmt: skip
DATES = ("early_on", "likely_on", "late_on")
FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")  # what spreadsheets would run


def csv_of(rows: list[PoolRow]) -> HttpResponse:
    """Return the rows as a CSV download; empty where there is no reading."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow([*COLUMNS, *(f"limit_{name}" for name in DATES)])
    for row in rows:
        told = [getattr(row, name) for name in COLUMNS]
        told += [getattr(row.limit, name) for name in DATES]
        writer.writerow(_cell(amount) for amount in told)
    response = HttpResponse(text.getvalue(), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="pools.csv"'
    return response


def _cell(amount: object) -> object:
    """Names come from arrays: one that begins like a formula is kept from being run."""
    if isinstance(amount, str) and amount.startswith(FORMULA_STARTS):
        return f"'{amount}"
    return amount
