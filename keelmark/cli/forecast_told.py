"""Writes what `keel forecast` found, one series after another."""

import csv
import json
from collections.abc import Iterable
from typing import IO, Any

FIELDS = ("series", "as_of", "growth_bytes_per_day", "early", "likely", "late", "reason")


def write_json(results: Iterable[dict[str, Any]], *, to: IO[str]) -> None:  # Any: JSON
    """Write a list of objects without holding all of them."""
    between = "["
    for told in results:
        to.write(between + json.dumps(told))
        between = ", "
    to.write("]\n" if between != "[" else "[]\n")


def write_csv(results: Iterable[dict[str, Any]], *, to: IO[str]) -> None:  # Any: JSON
    """Write a line a series; what is not known is empty."""
    writer = csv.DictWriter(to, FIELDS, lineterminator="\n", extrasaction="ignore")
    writer.writeheader()
    for told in results:
        writer.writerow({"reason": "", **told, **told["exhaustion"]})
