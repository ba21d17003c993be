"""The sift, first words of it: `site:Skerry -class:Deep state:urgent archive`."""

import shlex
from collections.abc import Sequence
from dataclasses import dataclass
from functools import reduce
from operator import or_

from django.db.models import Q

from keelmark.estate.errors import SiftError

KEYS = ("site", "array", "class", "state")


@dataclass(frozen=True, slots=True, kw_only=True)
class Term:
    """One word of a sift; a term without a key looks for its text in names."""

    key: str | None
    text: str
    is_excluding: bool


MAX_TERMS = 64
MAX_CHARS = 4000
TOLD_CHARS = 80


def parse_sift(sift: str) -> list[Term]:
    """Return the terms of a sift; raise SiftError at the first that cannot be read."""
    if len(sift) > MAX_CHARS:
        raise SiftError(term=sift[:TOLD_CHARS], why=f"a sift has at most {MAX_CHARS} characters")
    try:
        words = shlex.split(sift)
    except ValueError as exc:
        why = "a quotation mark is not closed"
        raise SiftError(term=sift[:TOLD_CHARS], why=why) from exc
    if len(words) > MAX_TERMS:
        why = f"a sift has at most {MAX_TERMS} terms, this one has {len(words)}"
        raise SiftError(term=sift[:TOLD_CHARS], why=why)
    return [_term(word) for word in words]


def words_match(terms: list[Term], *, fields: Sequence[str]) -> Q:
    """Return one condition a bare word: that it is, or is not, in one of the fields."""
    matches = Q()
    for term in terms:
        if term.key is None:
            found = reduce(or_, (Q(**{f"{name}__icontains": term.text}) for name in fields))
            matches &= ~found if term.is_excluding else found
    return matches


def _term(word: str) -> Term:
    is_excluding = word.startswith("-") and len(word) > 1
    bare = word[1:] if is_excluding else word
    key, colon, text = bare.partition(":")
    if not colon:
        return Term(key=None, text=bare, is_excluding=is_excluding)
    if key not in KEYS:
        raise SiftError(term=word, why=f"unknown key {key}; use {', '.join(KEYS)}")
    if not text:
        raise SiftError(term=word, why=f"nothing after {key}:")
    return Term(key=key, text=text, is_excluding=is_excluding)
