"""A sift as a request brings it: read at once, and found by whoever keeps the estate as columns."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property, reduce
from operator import or_

from django.contrib.auth.models import User
from django.db.models import Q

from keelmark.core.errors import SiftFault
from keelmark.core.sift import Node, check, parse, subject_of
from keelmark.core.sift.tree import All, Not, Word
from keelmark.estate.errors import SiftError


@dataclass(frozen=True, kw_only=True)
class Sift:
    """One line that finds things; an empty one finds everything."""

    text: str

    @cached_property
    def node(self) -> Node:
        """What it says."""
        return parse(self.text)

    @property
    def is_everything(self) -> bool:
        """Whether nothing is left out."""
        return self.node == All(of=())

    @property
    def words(self) -> list[tuple[str, bool]] | None:
        """Its free words and whether each is left out; None where it has anything else."""
        parts = self.node.of if isinstance(self.node, All) else (self.node,)
        found = []
        for part in parts:
            bare = part.of if isinstance(part, Not) else part
            if not isinstance(bare, Word):
                return None
            found.append((bare.text, isinstance(part, Not)))
        return found


EVERYTHING = Sift(text="")


def read_sift(text: str, *, kind: str = "pool") -> Sift:
    """Return what a request asks for; raise SiftError where it means nothing on a kind."""
    sift = Sift(text=text)
    try:
        check(sift.node, kind=subject_of(sift.node) or kind)
    except SiftFault as exc:
        raise SiftError(exc) from exc
    return sift


# Whoever keeps the estate as columns is an app above this one, and says so when it is ready.
Finder = Callable[[User, str, Sift], list[int]]
_finders: list[Finder] = []


def find_by(finder: Finder) -> None:
    """Let siftings be found so; whoever says so last does."""
    _finders[:] = [finder]


def ids_found(actor: User, *, kind: str, sift: Sift) -> list[int]:
    """Return the things of a kind that a person may see and a sift finds."""
    return _finders[0](actor, kind, sift)


def found_among(actor: User, *, kinds: Iterable[str], sift: Sift) -> dict[str, list[int]]:
    """Return what is found of each of several kinds; none where the sift means nothing there."""
    found = {}
    for kind in kinds:
        try:
            found[kind] = ids_found(actor, kind=kind, sift=sift)
        except SiftError:
            found[kind] = []
    return found


def words_match(sift: Sift, *, fields: Sequence[str]) -> Q:
    """Return one condition a free word: that it is, or is not, in one of the fields."""
    matches = Q()
    for text, is_left_out in sift.words or ():
        found = reduce(or_, (Q(**{f"{name}__icontains": text}) for name in fields))
        matches &= ~found if is_left_out else found
    return matches
