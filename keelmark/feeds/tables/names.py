"""Finds the things that a table names: by uid, or by a name that only one of a kind has."""

import re

from django.db.models.functions import Coalesce

from keelmark.estate.documents.base import UID_FORM
from keelmark.estate.models import Alias, Entity, Kind, Pool, Volume
from keelmark.estate.words import kind_word
from keelmark.feeds.tables.faults import GAP, CellError
from keelmark.feeds.tables.making import MAKES, Named

_UID = re.compile(UID_FORM)
Known = dict[str, list[tuple[int, str]]]


class Names:
    """Names of a whole kind, read once; a table is full of them."""

    def __init__(self) -> None:
        """Nothing is read before it is asked for."""
        self._by_kind: dict[str, Known] = {}
        self._homes: dict[int, str] | None = None
        self.new: dict[int, Named] = {}  # what the table makes, by a number below UNKNOWN
        self._numbers: dict[str, int] = {}

    def uid_of(self, kind: Kind | None, text: str) -> str:
        """Return the uid that a text names, or raise ValueError in words."""
        if _UID.match(text):
            return text
        return self._one(kind, text)[1]

    def uid_if_one(self, kind: Kind, text: str) -> str:
        """Return the uid of the only thing of a kind that is called so; empty if there is none."""
        known = self._of_kind(kind).get(text, [])
        return known[0][1] if len(known) == 1 else ""

    def id_of(self, kind: Kind | None, text: str) -> int:
        """Return the entity that a text names, or raise ValueError in words."""
        if _UID.match(text):
            found = Alias.objects.filter(uid=text).values_list("entity_id", flat=True).first()
            if found is None:
                raise CellError(
                    f"nothing is known as {text}", pattern=f"nothing is known as {GAP}",
                    subject=text,
                )  # fmt: skip
            return int(found)
        return self._one(kind, text)[0]

    def number_of(self, named: Named, *, may_make: bool) -> int:
        """Return the entity of a thing, or the number under which the table makes it."""
        if _UID.match(named.name):
            return self.id_of(named.kind, named.name)
        known = self._of_kind(named.kind).get(named.name, [])
        if named.within:
            homes = self._home_names()
            known = [one for one in known if homes.get(one[0]) == named.within]
        if len(known) == 1:
            return known[0][0]
        if len(known) > 1:
            raise _ambiguous(str(named.kind), named.name, n=len(known))
        if not may_make:
            raise _unknown(named.kind, named.name)
        number = self._numbers.setdefault(named.uid, -2 - len(self._numbers))
        self.new.setdefault(number, named)
        return number

    def forget(self, kind: Kind) -> None:
        """Read a kind anew at the next question: some of it was just made."""
        self._by_kind.pop(str(kind), None)
        self._homes = None

    def _one(self, kind: Kind | None, text: str) -> tuple[int, str]:
        known = self._of_kind(kind).get(text, [])
        if not known:
            raise _unknown(kind, text)
        if len(known) > 1:
            raise _ambiguous(str(kind) if kind else "thing", text, n=len(known))
        return known[0]

    def _of_kind(self, kind: Kind | None) -> Known:
        key = str(kind)
        if key not in self._by_kind:
            things = Entity.objects.filter(retired_at=None)
            if kind is not None:
                things = things.filter(kind=kind)
            names: Known = {}
            for pk, uid, name in things.values_list("pk", "uid", "name"):
                names.setdefault(name, []).append((pk, uid))
            self._by_kind[key] = names
        return self._by_kind[key]

    def _home_names(self) -> dict[int, str]:
        """What each pool and volume lies in: its array's name, its pool's uid."""
        if self._homes is None:
            self._homes = dict(Pool.objects.values_list("pk", "home__name"))
            home = Coalesce("pool__entity__uid", "array__entity__uid")
            self._homes |= dict(Volume.objects.values_list("pk", home))
        return self._homes


def is_made(kind: Kind | None) -> bool:
    """Whether a table can make things of a kind."""
    return kind in MAKES


def _unknown(kind: Kind | None, text: str) -> CellError:
    word = kind_word(kind) if kind else "thing"
    return CellError(
        f"no {word} is called {text}",
        pattern=f"no {word} is called {GAP}",
        subject=text,
        can_make=kind is None or is_made(kind),
    )


def _ambiguous(word: str, text: str, *, n: int) -> CellError:
    return CellError(
        f"{n} of kind {word} are called {text}; give its uid",
        pattern=f"several of kind {word} are called {GAP}; give their uids",
        subject=text,
    )
