"""The stage on which moves are put, in the order of their days: they look, and write."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.holds import Hold
from keelmark.core.scenario.effects import (
    AddAmount,
    Asks,
    Born,
    Course,
    Draws,
    Effect,
    Retire,
    SetAmount,
    SetLink,
    SetPair,
    SetsAside,
    SetWord,
)
from keelmark.core.scenario.sight import BAD_CASE, At, Holds, Sight
from keelmark.core.units import PERCENT

_UNDER_NOTHING = frozenset({"vm", "disk", "snapshot", "file", "host"})


class Stage(Sight):
    """What moves read and write; every effect is written at once, so that the next finds it."""

    def __init__(
        self, estate: Estate, *, births: Mapping[int, Sequence[At]], plain: Estate
    ) -> None:  # fmt: skip
        super().__init__(estate, births=births, plain=plain)
        self.effects: list[Effect] = []
        self._left: dict[int, Iterator[At]] = {}
        # By pool and tenant: I/O a second that work asks of an allotment.
        self._asked_of: dict[tuple[At, int], int] = {}

    def write(self, effect: Effect) -> None:
        """Write one effect."""
        self.effects.append(effect)
        if isinstance(effect, Course):  # most of them, and of none a column tells
            self._courses.setdefault(At(effect.kind, effect.row), []).append(effect)
            return
        self._forget(effect)
        effect.write(self.draft)
        if isinstance(effect, SetsAside):
            self._holds.setdefault(At(effect.kind, effect.row), []).append(effect.hold)

    def _forget(self, effect: Effect) -> None:
        """Forget what was found and is otherwise once an effect is written."""
        if isinstance(effect, SetLink):
            self._relinked.setdefault((effect.kind, effect.link), set()).add(effect.row)
            was = int(self.draft.links(effect.kind, effect.link)[effect.row])
            for row in (was, effect.to):
                self._linked.pop((effect.kind, effect.link, row), None)
        elif isinstance(effect, Born):
            for name, row in effect.links.items():
                self._linked.pop((effect.kind, name, row), None)
        is_sized = isinstance(effect, AddAmount | SetAmount) and effect.column == "size"
        is_moved = isinstance(effect, Born | Retire | SetLink | SetPair)
        if (is_sized or is_moved) and effect.kind not in _UNDER_NOTHING:
            self._below.clear()

    def next_born(self, number: int, kind: str) -> At:
        """Return the next of the rows that a move may fill."""
        if number not in self._left:
            self._left[number] = iter(self._births[number])
        born = next(self._left[number])
        if born.kind != kind:
            raise LookupError(kind)
        return born

    def bear(
        self, of: At, *, name: str, amounts: Mapping[str, int], words: Mapping[str, str],
        links: Mapping[str, int],
    ) -> None:  # fmt: skip
        """Write a thing that there is not yet."""
        has = self.estate.table(of.kind)
        self._names[of] = name
        self.write(
            Born(
                day=self.day,
                kind=of.kind,
                row=of.row,
                born_id=int(has.ids[of.row]),
                name=name,
                amounts=amounts,
                words={key: word for key, word in words.items() if word},
                links={key: row for key, row in links.items() if key in has.links},
            )
        )

    def add(self, of: At, column: str, amount: int) -> None:
        """Write that a thing has so much more of something, or less."""
        self.write(AddAmount(day=self.day, kind=of.kind, row=of.row, column=column, amount=amount))

    def set(self, of: At, column: str, amount: int | None) -> None:
        """Write another amount of something."""
        self.write(SetAmount(day=self.day, kind=of.kind, row=of.row, column=column, amount=amount))

    def set_word(self, of: At, column: str, word: str | None) -> None:
        """Write another word of something."""
        self.write(SetWord(day=self.day, kind=of.kind, row=of.row, column=column, word=word))

    def move(self, of: At, link: str, *, to: At | None) -> None:
        """Write that a thing belongs to another one."""
        row = NOWHERE if to is None else to.row
        self.write(SetLink(day=self.day, kind=of.kind, row=of.row, link=link, to=row))

    def pair(self, name: str, left: At, right: At, *, is_there: bool = True) -> None:
        """Write that two things stand in a relation, or do not any more."""
        self.write(
            SetPair(day=self.day, kind=name, left=left.row, right=right.row, is_there=is_there)
        )

    def named_estate(self) -> Estate:
        """Return the estate with the names of what moves have brought."""
        # What is born stands behind all there is.
        ends: dict[str, list[str]] = {}
        for of, name in self._names.items():
            n = len(self.plain.table(of.kind))
            if of.kind not in ends:
                ends[of.kind] = list(self.estate.table(of.kind).names[n:])
            ends[of.kind][of.row - n] = name
        tables = {
            kind: replace(
                self.estate.table(kind), names=self.plain.table(kind).names + tuple(names)
            )
            for kind, names in ends.items()
        }
        return replace(self.estate, tables={**self.estate.tables, **tables})

    def retire(self, of: At) -> None:
        """Write that a thing is there no longer."""
        self.write(Retire(day=self.day, kind=of.kind, row=of.row))

    def allotment(self, pool: At, *, tenant: At) -> Hold | None:
        """Return what a tenant has allotted of a pool by the day."""
        held = self._holds.get(pool, ())
        return next((one for one in held if one.tenant == tenant.row), None)

    def left_to_draw(self, pool: At, *, tenant: At) -> int:
        """Return how many bytes of its allotment a tenant may still provision by the day."""
        held = self.allotment(pool, tenant=tenant)
        if held is None or held.first_day > self.day:
            return 0
        return held.promised_bytes - held.asked_bytes

    def draw(self, volume: At, pool: At, *, tenant: At, n_bytes: int) -> None:
        """Take bytes of a volume out of an allotment.

        What comes onto it, and what it promises, is held of the pool already.
        """
        self._drawn[volume] = pool, tenant.row
        self._below.clear()
        self._take(pool, tenant=tenant, n_bytes=n_bytes)

    def give_back(self, volume: At, *, n_bytes: int) -> None:
        """Have a volume be none of an allotment any more: its bytes may be provisioned again."""
        key = self._drawn.pop(volume, None)
        if key is not None:
            self._below.clear()
            self._take(key[0], tenant=At("tenant", key[1]), n_bytes=-n_bytes)

    def _take(self, pool: At, *, tenant: At, n_bytes: int) -> None:
        held = self._holds.get(pool, [])
        for at, one in enumerate(held):
            if one.tenant == tenant.row:
                held[at] = one.drawn(n_bytes)
                self.write(Draws(day=self.day, kind=pool.kind, hold=one, n_bytes=n_bytes))

    def _beyond_allotted(self, pool: At, *, tenant: At, min_iops: int) -> int:
        """Return the I/O a second that is asked for beyond what an allotment holds."""
        key = pool, tenant.row
        held = self.allotment(pool, tenant=tenant)
        asked = self._asked_of.get(key, 0)
        self._asked_of[key] = asked + min_iops
        return min(min_iops, max(0, asked + min_iops - (held.min_iops if held else 0)))

    def set_aside(self, pool: At, *, tenant: At, n_bytes: int, min_iops: int, owner: int) -> None:
        """Write that bytes and I/O a second of a pool are held for a tenant."""
        hold = Hold(
            kind=pool.kind, row=pool.row, owner=owner, days=(self.day,), amounts=(n_bytes,),
            promised_bytes=n_bytes, min_iops=min_iops, tenant=tenant.row,
        )  # fmt: skip
        self.write(SetsAside(day=self.day, kind=pool.kind, row=pool.row, hold=hold))

    def asks(self, of: At, *, min_iops: int, busy_iops: int) -> None:
        """Write what work asks of the pools under a thing, in I/O a second."""
        for one, share in self.below(of):
            least, busy = round(min_iops * share), round(busy_iops * share)
            if (drawn := self.drawn_of(one)) is not None:  # least is allotted, busy is not
                pool, tenant = drawn
                beyond = self._beyond_allotted(pool, tenant=tenant, min_iops=least)
                self._ask_pool(pool, beyond, busy)
            elif one.kind == "pool":
                self._ask_pool(one, least, busy)

    def _ask_pool(self, pool: At, min_iops: int, busy_iops: int) -> None:
        if min_iops or busy_iops:
            self.write(
                Asks(
                    day=self.day, kind=pool.kind, row=pool.row, min_iops=min_iops,
                    busy_iops=busy_iops,
                )
            )  # fmt: skip

    def course(
        self, of: At, holds: Holds, *, is_less: bool = False, day: int | None = None
    ) -> None:
        """Write bytes that a thing and all below it hold more, or fewer, from a day on."""
        for one, share in [(of, 1.0), *self.below(of)]:
            self.course_of(one, holds, share=share, is_less=is_less, day=day)

    def course_of(
        self, of: At, holds: Holds, *, share: float = 1.0, is_less: bool = False,
        day: int | None = None,
    ) -> None:  # fmt: skip
        """Write the same of one thing alone."""
        first = round(holds.used_bytes * share)
        most = max(first, round(holds.most_bytes * share))
        if most == 0:
            return
        self.write(
            Course(
                day=self.day if day is None else day,
                kind=of.kind,
                row=of.row,
                first_bytes=first,
                bytes_per_day=holds.bytes_per_day * share,
                most_bytes=most,
                is_less=is_less,
            )
        )


def over_limit(stage: Stage, of: At, *, added_bytes: int = 0) -> int:
    """Return by how many bytes a thing may be past its limit mark on the day, on the bad case.

    0 or less where it is not; of what nobody can tell, nothing is past.
    """
    used, size = stage.expected(of, quantile=BAD_CASE), stage.amount(of, "size")
    if used is None or size is None:
        return 0
    return used + stage.held(of) + added_bytes - size * stage.limit_percent(of) // PERCENT
