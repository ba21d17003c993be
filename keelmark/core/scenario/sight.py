"""The estate as a move finds it on its day: with all that comes before it, to look at."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.estate import Estate, Outlooks
from keelmark.core.estate.holds import Hold
from keelmark.core.scenario.draft import Draft
from keelmark.core.scenario.effects import Course

LIKELY = 0.5
BAD_CASE = 0.9
MOST_LAYERS = 6  # of pools over volumes of pools


@dataclass(frozen=True, slots=True)
class At:
    """One thing: its kind and its row."""

    kind: str
    row: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Holds:
    """What a thing is likely to hold on a day, by how much it grows, and where that ends."""

    used_bytes: int
    bytes_per_day: float
    most_bytes: int


class Sight:
    """What moves find on their days; what was found is kept until it is written otherwise.

    ``births`` are the rows that a move may fill, by kind; ``plain`` is the estate without them.
    """

    def __init__(
        self, estate: Estate, *, births: Mapping[int, Sequence[At]], plain: Estate
    ) -> None:  # fmt: skip
        self.estate, self.plain = estate, plain
        self.draft = Draft(estate)
        self.day = estate.day
        self._births = births
        self._courses: dict[At, list[Course]] = {}
        self._holds: dict[At, list[Hold]] = {}
        # Volumes, with the pools and tenants of whose allotments they are.
        self._drawn: dict[At, tuple[At, int]] = {}
        for one in estate.holds:
            self._holds.setdefault(At(one.kind, one.row), []).append(one)
            of = At(one.kind, one.row), one.tenant
            self._drawn |= {At("volume", row): of for row in one.volumes}
        self._names: dict[At, str] = {}
        self._asked: dict[tuple[str, int, float], dict[int, int]] = {}  # by kind, day, quantile
        self._linked: dict[tuple[str, str, int], list[At]] = {}  # whether or not they are there
        self._relinked: dict[tuple[str, str], set[int]] = {}  # rows that lead elsewhere by now
        self._found: dict[int, At | None] = {}
        self._below: dict[At, list[tuple[At, float]]] = {}

    def find(self, thing_id: int) -> At | None:
        """Return a thing by its id; below nought what the move of that number bears first."""
        if thing_id < 0:
            born = self._births.get(-thing_id, ())
            return next((one for one in born if self.is_there(one)), None)
        if thing_id not in self._found:
            self._found[thing_id] = next(
                (
                    At(kind, row)
                    for kind, table in self.estate.tables.items()
                    if (row := table.row_of(thing_id)) is not None
                ),
                None,
            )
        return self._found[thing_id]

    def born_by(self, number: int, kind: str) -> At | None:
        """Return the thing of a kind that a move bears."""
        return next((one for one in self._births.get(number, ()) if one.kind == kind), None)

    def all_born(self, number: int, kind: str) -> list[At]:
        """Return the things of a kind that a move has borne by the day."""
        born = self._births.get(number, ())
        return [one for one in born if one.kind == kind and self.is_there(one)]

    def is_there(self, of: At) -> bool:
        """Return whether a thing has come and not gone by the day."""
        seen = self.amount(of, "seen")
        return (
            seen is not None and seen <= self.estate.day
            and self.amount(of, "retired") is None
        )  # fmt: skip

    def name(self, of: At) -> str:
        """Return what a thing is called."""
        return self._names.get(of) or self.estate.table(of.kind).names[of.row]

    def id_of(self, of: At) -> int:
        """Return the id of a thing."""
        return int(self.estate.table(of.kind).ids[of.row])

    def amount(self, of: At, column: str) -> int | None:
        """Return an amount as it is on the day."""
        return self.draft.told(of.kind, column, of.row)

    def word(self, of: At, column: str) -> str | None:
        """Return a word as it is on the day."""
        return self.draft.word(of.kind, column, of.row)

    def link(self, of: At, name: str, *, to: str) -> At | None:
        """Return what a thing belongs to."""
        row = int(self.draft.links(of.kind, name)[of.row])
        return None if row == NOWHERE else At(to, row)

    def gather(self, kind: str, name: str, *, to: Sequence[At]) -> list[At]:
        """Return the things of a kind that are there and belong to any of some, found in one go."""
        for one in to:
            if (kind, name, one.row) not in self._linked:
                self._linked[kind, name, one.row] = self._leading(kind, name, to=one.row)
        found = (one for at in to for one in self._linked[kind, name, at.row])
        return [one for one in found if self.is_there(one)]

    def _leading(self, kind: str, name: str, *, to: int) -> list[At]:
        """What leads to a row by now: of what there was before, by what was worked out once."""
        links, plain = self.draft.links(kind, name), self.plain.table(kind)
        was = plain.inverse(name).of(to)
        born = len(plain) + np.flatnonzero(links[len(plain) :] == to)
        other = [row for row in self._relinked.get((kind, name), ()) if links[row] == to]
        rows = {*was[links[was] == to].tolist(), *born.tolist(), *other}
        return [At(kind, row) for row in sorted(rows)]

    def all_of(self, kind: str) -> list[At]:
        """Return all things of a kind that are there on the day."""
        n = len(self.estate.table(kind))
        return [one for row in range(n) if self.is_there(one := At(kind, row))]

    def linked(self, kind: str, name: str, *, to: At) -> list[At]:
        """Return the things of a kind that are there and belong to one.

        What they hold on the day is worked out for all of them at once.
        """
        there = self.gather(kind, name, to=[to])
        self.look_ahead(there)
        return there

    def look_ahead(self, things: Sequence[At], *, quantiles: tuple[float, ...] = (LIKELY,)) -> None:
        """Work out what some things hold on the day, those of a kind together."""
        if self.day <= self.estate.day:
            return
        by_kind: dict[str, list[int]] = {}
        for one in things:
            if self._judged(one) is not None:
                by_kind.setdefault(one.kind, []).append(one.row)
        for kind, rows in by_kind.items():
            self._ask(kind, rows, quantiles=quantiles)

    def limit_percent(self, of: At) -> int:
        """Return the limit mark of a thing."""
        return int(self.estate.marks[of.kind].limit_percent[of.row])

    def holds(self, of: At) -> Holds | None:
        """Return what a thing is likely to hold on the day; None where nobody can tell.

        What has no outlook holds what was read of it, and does not grow.
        """
        used = self.expected(of, quantile=LIKELY)
        if used is None:
            return None
        outlooks = self._judged(of)
        growth = 0.0 if outlooks is None else float(outlooks.of.growth_bytes_per_day[of.row])
        for one in self._courses.get(of, ()):
            if one.bytes_on(self.day) not in (one.most_bytes, -one.most_bytes):
                growth += -one.bytes_per_day if one.is_less else one.bytes_per_day
        size = self.amount(of, "size")
        most = max(used, size) if size is not None else used
        return Holds(used_bytes=used, bytes_per_day=max(growth, 0.0), most_bytes=most)

    def expected(self, of: At, *, quantile: float) -> int | None:
        """Return the bytes that a thing holds on the day at a quantile of its outlook."""
        told = self.amount(of, "used")
        if self._judged(of) is not None and self.day > self.estate.day:
            self._ask(of.kind, [of.row], quantiles=(quantile,))
            told = self._asked[of.kind, self.day, quantile][of.row]
        if told is None:
            return 0 if of in self._courses else None
        return max(0, told + sum(one.bytes_on(self.day) for one in self._courses.get(of, ())))

    def held(self, of: At) -> int:
        """Return the bytes that others hold of a thing on the day."""
        return sum(one.bytes_on(self.day) for one in self._holds.get(of, ()))

    def _judged(self, of: At) -> Outlooks | None:
        """The outlooks of a thing's kind, where its own is judged."""
        outlooks = self.estate.outlooks.get(of.kind)
        if outlooks is None or of.row >= len(outlooks.as_of):
            return None
        return outlooks if outlooks.of.is_judged[of.row] else None

    def _ask(self, kind: str, rows: Sequence[int], *, quantiles: tuple[float, ...]) -> None:
        """Work out together what some things hold on the day, each once."""
        day = self.day
        asked = [self._asked.setdefault((kind, day, one), {}) for one in quantiles]
        new = sorted({row for row in rows for known in asked if row not in known})
        if not new:
            return
        some = self.estate.outlooks[kind].of_rows(np.array(new, dtype=np.int64), day=day)
        told = some.expected(day=day, n=len(new), quantiles=quantiles)
        told = np.where(np.isfinite(told), told, 0.0)
        for known, amounts in zip(asked, told.tolist(), strict=True):
            known.update((row, round(amount)) for row, amount in zip(new, amounts, strict=True))

    def below(self, of: At) -> list[tuple[At, float]]:
        """Return what lies below a thing, with the share of its bytes that each holds.

        A datastore lies on its volumes, a volume on its pool, a pool of volumes on those, each
        side of a mirror on all of it. What comes onto a volume out of an allotment takes nothing
        more of its pool: that is held for it already.
        """
        if of.kind == "disk":
            store = self.link(of, "datastore", to="datastore")
            return [] if store is None else [(store, 1.0), *self.below(store)]
        kept = self._below.get(of)
        if kept is None:
            kept = self._below[of] = self._layers(of)
        return kept

    def _layers(self, of: At) -> list[tuple[At, float]]:
        told: list[tuple[At, float]] = []
        layer = [(of, 1.0)]
        for _ in range(MOST_LAYERS):
            parts = [
                (one, under, share * part)
                for one, share in layer
                for under, part in self._under(one)
            ]
            layer = [(under, share) for _, under, share in parts]
            told += [
                (under, 0.0 if self.is_drawn(one, under) else share) for one, under, share in parts
            ]
        return told

    def is_drawn(self, volume: At, pool: At) -> bool:
        """Return whether a volume is one out of an allotment of a pool."""
        return volume in self._drawn and self._drawn[volume][0] == pool

    def drawn_of(self, volume: At) -> tuple[At, At] | None:
        """Return the pool on which a volume lies and the tenant out of whose allotment it is."""
        pool, tenant = self._drawn.get(volume, (None, 0))
        if pool is None or self.link(volume, "pool", to="pool") != pool:
            return None
        return pool, At("tenant", tenant)

    def _under(self, of: At) -> list[tuple[At, float]]:
        if of.kind == "volume":
            pool = self.link(of, "pool", to="pool")
            return [] if pool is None else [(pool, 1.0)]
        if of.kind == "datastore":
            return self._shares(self._right("extents", of.row))
        if of.kind == "pool":
            sides = max(self.amount(of, "sides") or 1, 1)
            return self._shares(self._right("backings", of.row), times=float(sides))
        return []

    def _right(self, name: str, row: int) -> Int64s:
        pairs = self.draft.pairs(name)
        told: Int64s = pairs.right[pairs.left == row]
        return told

    def _shares(self, rows: Int64s, *, times: float = 1.0) -> list[tuple[At, float]]:
        there = [one for row in rows.tolist() if self.is_there(one := At("volume", int(row)))]
        sizes = [self.amount(one, "size") or 0 for one in there]
        whole = sum(sizes)
        return [
            (one, times * (size / whole if whole else 1 / len(there)))
            for one, size in zip(there, sizes, strict=True)
        ]

    def served_by(self, store: At) -> list[At]:
        """Return the clusters that a datastore serves: its own, and all whose hosts all see it."""
        own, seeing = self.link(store, "cluster", to="cluster"), self.hosts_seeing(store)
        others = {one for host in seeing if (one := self.link(host, "cluster", to="cluster"))}
        all_see = [one for one in others if seeing >= set(self.gather("host", "cluster", to=[one]))]
        return sorted({*all_see, *((own,) if own else ())}, key=lambda one: one.row)

    def hosts_seeing(self, store: At) -> set[At]:
        """Return the hosts that are there and see a datastore."""
        rows = self._right("seen_by", store.row)
        return {one for row in rows.tolist() if self.is_there(one := At("host", int(row)))}

    def stores_on(self, volume: At) -> list[At]:
        """Return the datastores that lie on a volume."""
        pairs = self.draft.pairs("extents")
        rows = pairs.left[pairs.right == volume.row]
        return [one for row in rows.tolist() if self.is_there(one := At("datastore", int(row)))]

    def pools_on(self, volume: At) -> list[At]:
        """Return the pools that lie on a volume, shared ones."""
        pairs = self.draft.pairs("backings")
        rows = pairs.left[pairs.right == volume.row]
        return [one for row in rows.tolist() if self.is_there(one := At("pool", int(row)))]

    def replicas_of(self, volume: At) -> list[At]:
        """Return the volumes that hold what a volume holds."""
        pairs = self.draft.pairs("replicas")
        rows = pairs.right[pairs.left == volume.row]
        return [one for row in rows.tolist() if self.is_there(one := At("volume", int(row)))]
