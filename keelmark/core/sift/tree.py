"""What a sift is made of once it is read, each part with where it stands in the text."""

from dataclasses import dataclass
from enum import StrEnum


class Comparison(StrEnum):
    """How a term compares."""

    IS = ":"
    EQUALS = "="
    LESS = "<"
    AT_MOST = "<="
    MORE = ">"
    AT_LEAST = ">="
    CONTAINS = "~"


@dataclass(frozen=True, slots=True)
class Span:
    """Where something stands in a text, the end excluded."""

    begin: int
    end: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Term:
    """`path op value`, the value as it was typed without its quotation marks."""

    path: tuple[str, ...]
    comparison: Comparison
    text: str
    path_span: Span
    text_span: Span


@dataclass(frozen=True, slots=True, kw_only=True)
class Word:
    """A free word, looked for in names."""

    text: str
    span: Span


@dataclass(frozen=True, slots=True, kw_only=True)
class Not:
    """The opposite of one part."""

    of: "Node"


@dataclass(frozen=True, slots=True, kw_only=True)
class All:
    """All parts hold; none at all: everything does."""

    of: tuple["Node", ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class AnyOf:
    """At least one part holds."""

    of: tuple["Node", ...]


Node = Term | Word | Not | All | AnyOf


def terms_of(node: Node) -> list[Term | Word]:
    """Return all terms and words of a sift, in the order of its text."""
    if isinstance(node, Term | Word):
        return [node]
    if isinstance(node, Not):
        return terms_of(node.of)
    return [term for one in node.of for term in terms_of(one)]


def has_words(node: Node) -> bool:
    """Whether free words are looked for, those that are left out aside."""
    if isinstance(node, Word):
        return True
    return isinstance(node, All | AnyOf) and any(has_words(one) for one in node.of)
