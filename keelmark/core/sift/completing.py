"""What could come next while a sift is being typed."""

import re
from collections.abc import Callable
from dataclasses import dataclass

from keelmark.core.errors import SiftFault
from keelmark.core.estate.kinds import KINDS, Measure
from keelmark.core.estate.reach import way_between
from keelmark.core.sift.binding import KIND_FIELD, Bound, bind
from keelmark.core.sift.tree import Comparison, Span, Term

MOST = 12
_TOKEN = re.compile(r'-?(?:"[^"]*"?|[^\s()"])*$')
_HEAD = re.compile(r"^([a-z][a-z_]*(?:\.[a-z][a-z_]*)*)(<=|>=|[:=<>~])", re.IGNORECASE)
_SIGN = {
    Measure.TEXT: ":",
    Measure.FLAG: ":",
    Measure.SINCE: ">",
    Measure.UNTIL: "<",
}
_EXAMPLES = {
    Measure.BYTES: (("1TiB", ""), ("500GiB", ""), ("22TB", "")),
    Measure.PERCENT: (("80%", ""), ("90%", "")),
    Measure.COUNT: (("1", ""), ("4", "")),
    Measure.RATE: (("1000", ""),),
    Measure.FLAG: (("yes", ""), ("no", "")),
    Measure.SINCE: (("30d", "longer ago than with >"), ("90d", ""), ("2026-01-01", "a date")),
    Measure.UNTIL: (("45d", "sooner than with <"), ("90d", ""), ("2026-12-31", "a date")),
}
Values = Callable[[str, str], list[tuple[str, int]]]  # of a field of a kind, with how many


@dataclass(frozen=True, slots=True, kw_only=True)
class Suggestion:
    """A text that may stand where something is typed, and what it is about."""

    text: str
    about: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Completion:
    """What may replace the characters of a span."""

    span: Span
    suggestions: tuple[Suggestion, ...]


def complete(text: str, *, cursor: int, kind: str, values: Values) -> Completion:
    """Return what could stand where the cursor is.

    Parameters
    ----------
    text : str
        A sift, whole or not.
    cursor : int
        Characters before it.
    kind : str
        What the sift is of where it names no kind itself.
    values : callable
        The words of a text field of a kind with how many things have each.
    """
    before = text[: max(0, min(cursor, len(text)))]
    match = _TOKEN.search(before)
    begin = match.start() if match else len(before)
    token = before[begin:]
    if token.startswith("-"):
        begin, token = begin + 1, token[1:]
    head = _HEAD.match(token)
    if head is None:
        found = _names(token.lower(), kind=kind)
        return Completion(span=Span(begin, len(before)), suggestions=tuple(found[:MOST]))
    at = begin + head.end()
    typed = token[head.end() :]
    found = _values(head.group(1).lower(), typed=typed, kind=kind, values=values)
    return Completion(span=Span(at, len(before)), suggestions=tuple(found[:MOST]))


def _names(token: str, *, kind: str) -> list[Suggestion]:
    *path, last = token.split(".")
    here = kind
    for part in path:
        if part not in KINDS:
            return []
        here = part
    prefix = "".join(f"{part}." for part in path)
    own = [
        Suggestion(text=f"{prefix}{one.name}{_SIGN.get(one.measure, '>')}", about=one.about)
        for one in KINDS[here].fields
        if one.name.startswith(last)
    ]
    others = [
        Suggestion(text=f"{prefix}{other}:", about=f"the {other} it shares bytes with")
        for other in KINDS
        if other.startswith(last) and other != here and way_between(here, other) is not None
    ]
    if not path and KIND_FIELD.startswith(last):
        own.append(Suggestion(text=f"{KIND_FIELD}:", about="what is looked for"))
    return own + others


def _values(path: str, *, typed: str, kind: str, values: Values) -> list[Suggestion]:
    low = typed.strip('"').casefold()
    if path == KIND_FIELD:
        told = [(one.name, one.plural) for one in KINDS.values()]
        return [Suggestion(text=name, about=about) for name, about in told if low in name]
    bound = _bound(path, kind=kind)
    if bound is None:
        return []
    if bound.field.measure is not Measure.TEXT:
        return [
            Suggestion(text=text, about=about)
            for text, about in _EXAMPLES[bound.field.measure]
            if text.startswith(low)
        ]
    found = [
        (word, n) for word, n in values(bound.kinds[-1], bound.field.name) if low in word.casefold()
    ]
    found.sort(key=lambda one: (not one[0].casefold().startswith(low), -one[1], one[0]))
    return [Suggestion(text=quoted(word), about=f"{n:,}") for word, n in found[:MOST]]


def _bound(path: str, *, kind: str) -> Bound | None:
    nowhere = Span(0, 0)
    term = Term(
        path=tuple(path.split(".")), comparison=Comparison.IS, text="none",
        path_span=nowhere, text_span=nowhere,
    )  # fmt: skip
    try:
        bound = bind(term, kind=kind)
    except SiftFault:
        return None
    return bound if isinstance(bound, Bound) else None


def quoted(word: str) -> str:
    """Return a word as it stands in a sift."""
    is_plain = re.fullmatch(r'[^\s()"]+', word) is not None
    return word if is_plain and word.lower() not in ("and", "or", "not") else f'"{word}"'
