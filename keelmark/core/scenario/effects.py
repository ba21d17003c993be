"""What a move does to the estate's columns, from a day on, and how each of it is undone."""

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import Pairs
from keelmark.core.estate.estate import Estate, TierLimits
from keelmark.core.estate.holds import Hold
from keelmark.core.scenario.draft import Draft, words_of


@dataclass(frozen=True, slots=True, kw_only=True)
class Effect(ABC):
    """One change of one row from a day on, counted from 1970.

    ``row`` is a row of the table of its kind; those that are born by a plan stand behind all that
    there are, in the order in which the plan names them.
    """

    day: int
    kind: str

    @abstractmethod
    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""

    @abstractmethod
    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate that it is put on; raise RangeError where nothing can."""


@dataclass(frozen=True, slots=True, kw_only=True)
class OfRow(Effect):
    """A change of one row."""

    row: int


@dataclass(frozen=True, slots=True, kw_only=True)
class SetAmount(OfRow):
    """A column of amounts holds another one, None for what nobody knows."""

    column: str
    amount: int | None

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        told = draft.amounts(self.kind, self.column)
        told.values[self.row] = self.amount or 0
        told.is_known[self.row] = self.amount is not None

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        was = estate.table(self.kind).amounts(self.column).told(self.row)
        return replace(self, amount=was)


@dataclass(frozen=True, slots=True, kw_only=True)
class AddAmount(OfRow):
    """A column of amounts holds so much more, or less; what is not known stays so."""

    column: str
    amount: int

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        told = draft.amounts(self.kind, self.column)
        if told.is_known[self.row]:
            told.values[self.row] += self.amount

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        del estate
        return replace(self, amount=-self.amount)


@dataclass(frozen=True, slots=True, kw_only=True)
class SetWord(OfRow):
    """A column of words holds another one, None for none."""

    column: str
    word: str | None

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        draft.set_word(self.kind, self.column, row=self.row, word=self.word)

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        return replace(self, word=words_of(estate.table(self.kind), self.column).told(self.row))


@dataclass(frozen=True, slots=True, kw_only=True)
class SetLink(OfRow):
    """A thing belongs to another one, NOWHERE for none."""

    link: str
    to: int

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        draft.link(self.kind, self.link)[self.row] = self.to

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        return replace(self, to=int(estate.table(self.kind).links[self.link][self.row]))


@dataclass(frozen=True, slots=True, kw_only=True)
class SetPair(Effect):
    """Two rows stand in a relation, or do not any more; ``kind`` is the name of the relation."""

    left: int
    right: int
    is_there: bool = True

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        pairs = draft.pairs(self.kind)
        if self.is_there == self._stands(pairs):
            return
        if self.is_there:
            left, right = np.append(pairs.left, self.left), np.append(pairs.right, self.right)
        else:
            stays = (pairs.left != self.left) | (pairs.right != self.right)
            left, right = pairs.left[stays], pairs.right[stays]
        draft.set_pairs(self.kind, Pairs(left=left, right=right))

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        return replace(self, is_there=self._stands(Draft(estate).pairs(self.kind)))

    def _stands(self, pairs: Pairs) -> bool:
        return bool(((pairs.left == self.left) & (pairs.right == self.right)).any())


@dataclass(frozen=True, slots=True, kw_only=True)
class Retire(OfRow):
    """A thing is there no longer."""

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        told = draft.amounts(self.kind, "retired")
        told.values[self.row], told.is_known[self.row] = draft.estate.day, True

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        was = estate.table(self.kind).amounts("retired").told(self.row)
        return SetAmount(day=self.day, kind=self.kind, row=self.row, column="retired", amount=was)


@dataclass(frozen=True, slots=True, kw_only=True)
class Course(OfRow):
    """Bytes that a thing holds more than its outlook says, or fewer, from a day on.

    ``first_bytes`` on that day, ``bytes_per_day`` more on each that follows, until
    ``most_bytes``; all of them are taken away where ``is_less``.
    """

    first_bytes: int
    bytes_per_day: float = 0.0
    most_bytes: int
    is_less: bool = False

    def __post_init__(self) -> None:
        """Refuse what does not add up."""
        if not 0 <= self.first_bytes <= self.most_bytes or self.bytes_per_day < 0:
            raise RangeError(
                argument="first_bytes, bytes_per_day",
                found=(self.first_bytes, self.bytes_per_day),
                wanted=f"0 or more, at first at most {self.most_bytes:,}",
            )

    def bytes_on(self, day: int) -> int:
        """Return the bytes on a day, below 0 where they are taken away."""
        if day < self.day:
            return 0
        told = min(self.first_bytes + round((day - self.day) * self.bytes_per_day), self.most_bytes)
        return -told if self.is_less else told

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        del draft  # what is held on a day is read with the plan, see Plan.added_on

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        del estate
        return replace(self, is_less=not self.is_less)


@dataclass(frozen=True, slots=True, kw_only=True)
class Asks(OfRow):
    """What work asks of the thing that it comes onto, in I/O a second."""

    min_iops: int
    busy_iops: int

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        del draft  # nothing that is told of a thing is another by it; it is held once accepted

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        del estate
        return replace(self, min_iops=-self.min_iops, busy_iops=-self.busy_iops)


@dataclass(frozen=True, slots=True, kw_only=True)
class SetsAside(OfRow):
    """Something of a place is held for a tenant from then on, or not any more."""

    hold: Hold
    is_there: bool = True

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        draft.set_hold(self.hold, is_there=self.is_there)

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        return replace(self, is_there=self.hold in estate.holds)


@dataclass(frozen=True, slots=True, kw_only=True)
class Draws(Effect):
    """So much more of an allotment is provisioned from then on, or less: no less is held."""

    hold: Hold
    n_bytes: int

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        draft.draw(self.hold, n_bytes=self.n_bytes)

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        del estate
        return replace(self, n_bytes=-self.n_bytes)


@dataclass(frozen=True, slots=True, kw_only=True)
class SetTier(Effect):
    """A QoS tier has other limits from then on, None for those that it has now."""

    name: str
    limits: TierLimits | None

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        draft.set_tier(self.name.casefold(), self.limits)

    def undone(self, estate: Estate) -> "Effect":
        """Return what restores the estate."""
        return replace(self, limits=estate.tiers.get(self.name.casefold()))


@dataclass(frozen=True, slots=True, kw_only=True)
class Born(OfRow):
    """A thing that there is not yet; columns and links that are not named are not known.

    Its row stands in the table before its day too, as of something that nobody has seen and of
    which nobody tells anything. ``born_id`` is its id, above those of all that there are.
    """

    born_id: int
    name: str
    amounts: Mapping[str, int] = field(default_factory=dict)
    words: Mapping[str, str] = field(default_factory=dict)
    links: Mapping[str, int] = field(default_factory=dict)

    def write(self, draft: Draft) -> None:
        """Write it into an estate that is being changed."""
        for column, amount in {**self.amounts, "seen": draft.estate.day}.items():
            told = draft.amounts(self.kind, column)
            told.values[self.row], told.is_known[self.row] = amount, True
        for column, word in self.words.items():
            draft.set_word(self.kind, column, row=self.row, word=word)
        for name, to in self.links.items():
            draft.link(self.kind, name)[self.row] = to

    def undone(self, estate: Estate) -> "Effect":
        """Refuse: what is born is taken out of the plan, not taken back by another change."""
        raise RangeError(argument="born", found=self.name, wanted="a change of what there is")
