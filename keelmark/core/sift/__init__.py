"""The sift: one line that finds things of any kind at any reading of the estate."""

from keelmark.core.sift.binding import check, check_anywhere, subject_of
from keelmark.core.sift.masks import sifted
from keelmark.core.sift.parsing import MAX_CHARS, MAX_TERMS, parse
from keelmark.core.sift.tree import Node, has_words, terms_of

__all__ = [
    "MAX_CHARS",
    "MAX_TERMS",
    "Node",
    "check",
    "check_anywhere",
    "has_words",
    "parse",
    "sifted",
    "subject_of",
    "terms_of",
]
