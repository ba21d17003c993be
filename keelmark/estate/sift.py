"""The sift, first words of it: `site:Skerry -class:Deep state:urgent archive`."""

import shlex
from dataclasses import dataclass

from keelmark.estate.errors import SiftError

KEYS = ("site", "array", "class", "state")


@dataclass(frozen=True, slots=True, kw_only=True)
class Term:
    """One word of a sift; a term without a key looks for its text in names."""

    key: str | None
    text: str
    is_excluding: bool


def parse_sift(sift: str) -> list[Term]:
    """Return the terms of a sift; raise SiftError at the first that cannot be read."""
    try:
        words = shlex.split(sift)
    except ValueError as exc:
        raise SiftError(term=sift, why="a quotation mark is not closed") from exc
    return [_term(word) for word in words]


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
