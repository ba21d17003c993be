"""What a scenario was drawn up on, and what has changed under it since."""

from dataclasses import dataclass
from typing import Any

from keelmark.bearings.selectors.picture import reading_at
from keelmark.core.estate.reading import LIKELY, Reading
from keelmark.core.scenario.compiling import Compiled
from keelmark.core.scenario.effects import OfRow
from keelmark.scenarios.models import Scenario
from keelmark.scenarios.selectors.kept import Moves, dated

KINDS = ("pool", "datastore", "volume", "vm", "disk", "cluster")
NOTED = 0.01  # of its size: what changed by less is not told
Baseline = dict[str, dict[str, Any]]  # Any: JSON; by id, of each thing that matters


def baseline_of(moves: Moves, told: Compiled) -> Baseline:
    """Return what is known now of all that moves name, and of the pools that they change."""
    reading = reading_at(day=None, quantile=LIKELY)
    ids = {one for move in dated(moves) for one in move.move.things if one > 0}
    for effect in told.plan.effects:
        if effect.kind in ("pool", "datastore") and isinstance(effect, OfRow):
            table = reading.estate.table(effect.kind)
            if effect.row < len(table):
                ids.add(int(table.ids[effect.row]))
    return {str(pk): facts for pk in sorted(ids) if (facts := _facts(reading, pk))}


def _facts(reading: Reading, pk: int) -> dict[str, Any] | None:  # Any: JSON
    for kind in KINDS:
        table = reading.estate.table(kind)
        row = table.row_of(pk)
        if row is None or not reading.is_there[kind][row]:
            continue
        books = reading.books.get(kind)
        place = {"disk": "datastore", "volume": "pool", "vm": "cluster"}.get(kind)
        at = -1 if place is None else int(reading.link(kind, place)[row])
        return {
            "kind": kind, "name": table.names[row],
            "used": books.used.told(row) if books else None,
            "size": books.size.told(row) if books else None,
            "place": None if place is None or at < 0
            else int(reading.estate.table(place).ids[at]),
        }  # fmt: skip
    return None


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """What has changed of one thing since a scenario was drawn up."""

    id: int
    kind: str
    name: str
    what: str  # gone, moved, size, used
    before: int | None
    after: int | None


def changed_under(scenario: Scenario) -> list[Change]:
    """Return what has changed under a scenario, what is gone first."""
    reading = reading_at(day=None, quantile=LIKELY)
    found: list[Change] = []
    for pk, was in scenario.baseline.items():
        now = _facts(reading, int(pk))
        one = {"id": int(pk), "kind": was["kind"], "name": was["name"]}
        if now is None:
            found.append(Change(**one, what="gone", before=was["used"], after=None))
            continue
        if now["place"] != was["place"]:
            found.append(Change(**one, what="moved", before=was["place"], after=now["place"]))
        if now["size"] != was["size"]:
            found.append(Change(**one, what="size", before=was["size"], after=now["size"]))
        used, before = now["used"], was["used"]
        noted = NOTED * (now["size"] or 0)
        if used is not None and before is not None and abs(used - before) > noted > 0:
            found.append(Change(**one, what="used", before=before, after=used))
    order = ("gone", "moved", "size", "used")
    return sorted(found, key=lambda one: (order.index(one.what), one.name, one.id))
