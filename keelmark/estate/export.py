"""Lists as files that a sheet opens, with nothing in them that it would run."""

import csv
import io
from collections.abc import Iterable, Sequence

from django.http import HttpResponse

# What sheets would run; they read the full-width forms alike, and skip white space before them.
FORMULA_STARTS = ("=", "+", "-", "@", "\uff1d", "\uff0b", "\uff0d", "\uff20")
LINE_STARTS = ("\t", "\r", "\n")


def csv_download(
    header: Sequence[str], rows: Iterable[Sequence[object]], *, filename: str
) -> HttpResponse:
    """Return rows as a CSV download; empty where there is nothing."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(header)
    for row in rows:
        writer.writerow([safe_cell(cell) for cell in row])
    response = HttpResponse(text.getvalue(), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{filename}"'
    return response


def safe_cell(amount: object) -> object:
    """Names come from far ends: one that begins like a formula is kept from being run."""
    if not isinstance(amount, str):
        return amount
    if amount.startswith(LINE_STARTS) or amount.lstrip().startswith(FORMULA_STARTS):
        return f"'{amount}"
    return amount
