"""What the terms of a sift mean on one kind: which field of which kind, and what amount."""

from dataclasses import dataclass
from difflib import get_close_matches

from keelmark.core.attention import Attention
from keelmark.core.errors import SiftFault
from keelmark.core.estate.kinds import KINDS, Field, Measure
from keelmark.core.estate.reach import way_between
from keelmark.core.policy.rules import RULES
from keelmark.core.policy.states import Verdict
from keelmark.core.qos.states import IoState
from keelmark.core.sift.quantities import NOTHING, Quantity, WrongQuantityError, quantity_of
from keelmark.core.sift.tree import All, AnyOf, Comparison, Node, Not, Term, terms_of

MAX_PATH = 5
N_HINTS = 3
MAX_WORDS = 8  # of a set that are told all
KIND_FIELD = "kind"
NAME = Field(name="name", measure=Measure.TEXT, about="what it is called")


@dataclass(frozen=True, slots=True, kw_only=True)
class Bound:
    """A term on a kind: along which kinds to which field, compared with what.

    ``amount`` is None where a text is compared, or nothing at all is asked for.
    """

    kinds: tuple[str, ...]  # from the kind looked at to the one whose field it is
    field: Field
    comparison: Comparison
    text: str
    amount: Quantity | None

    @property
    def asks_for_nothing(self) -> bool:
        """Whether what nobody told is looked for."""
        return self.text.lower() == NOTHING and self.comparison in _EQUAL


@dataclass(frozen=True, slots=True)
class OfKind:
    """A term that names the kind itself."""

    kind: str


# Fields whose words are a set: another one is a slip, and finds nothing.
_SETS = {
    "state": (*(state.value for state in Attention), NOTHING),
    "verdict": (*(state.value for state in Verdict), NOTHING),
    "rule": (*RULES, NOTHING),
    "io": (*(state.value for state in IoState), NOTHING),
}
_EQUAL = (Comparison.IS, Comparison.EQUALS)
_TEXTUAL = (*_EQUAL, Comparison.CONTAINS)


def subject_of(node: Node) -> str | None:
    """Return the only kind that a sift names outright, None where it names none or several."""
    named = set(_kinds_named(node))
    return named.pop() if len(named) == 1 else None


def _kinds_named(node: Node) -> list[str]:
    if isinstance(node, Term):
        is_named = node.path == (KIND_FIELD,) and node.comparison in _EQUAL
        return [kind_of(node).kind] if is_named else []
    if isinstance(node, All):
        return [kind for one in node.of for kind in _kinds_named(one)]
    return []


def kind_of(term: Term) -> OfKind:
    """Return the kind that a `kind:` term names; raise SiftFault where there is none."""
    if term.comparison not in _EQUAL:
        raise SiftFault(
            span=(term.path_span.begin, term.text_span.end), why="kind is compared by :",
            would_be=("kind:pool",),
        )  # fmt: skip
    told = term.text.lower()
    for kind in KINDS.values():
        if told in (kind.name, kind.plural.lower()):
            return OfKind(kind.name)
    raise SiftFault(
        span=(term.text_span.begin, term.text_span.end),
        why=f"there is no kind {term.text}",
        would_be=_close(told, among=sorted(KINDS)),
    )


def bind(term: Term, *, kind: str) -> Bound | OfKind:
    """Return what a term means on a kind.

    Raises
    ------
    SiftFault
        At the part of the term that means nothing, with what would be right.
    """
    if term.path == (KIND_FIELD,):
        return kind_of(term)
    kinds, field = _followed(term, kind=kind)
    begin, end = term.text_span.begin, term.text_span.end
    if field.measure is Measure.TEXT:
        words = _SETS.get(field.name)
        if words and term.comparison in _EQUAL and term.text.lower() not in words:
            few = words if len(words) <= MAX_WORDS else _close(term.text, among=list(words))
            why = f"{term.text} is no {field.name}"
            raise SiftFault(span=(begin, end), why=why, would_be=few)
        if term.comparison not in _TEXTUAL:
            raise SiftFault(
                span=(term.path_span.end, begin),
                why=f"{field.name} is a word: compare it by : or ~",
                would_be=(f"{'.'.join(term.path)}:{term.text}",),
            )
        return Bound(
            kinds=kinds, field=field, comparison=term.comparison, text=term.text, amount=None
        )
    if term.comparison is Comparison.CONTAINS:
        raise SiftFault(
            span=(term.path_span.end, begin), why=f"{field.name} is an amount: ~ is for words",
            would_be=tuple(f"{field.name}{sign}{term.text}" for sign in "<>"),
        )  # fmt: skip
    amount: Quantity | None = None
    if not (term.text.lower() == NOTHING and term.comparison in _EQUAL):
        try:
            amount = quantity_of(term.text, measure=field.measure)
        except WrongQuantityError as exc:
            raise SiftFault(span=(begin, end), why=str(exc), would_be=exc.examples) from exc
    return Bound(
        kinds=kinds, field=field, comparison=term.comparison, text=term.text, amount=amount
    )


def _followed(term: Term, *, kind: str) -> tuple[tuple[str, ...], Field]:
    """Follow a path from a kind: through kinds, to a field, or to a kind for its name."""
    span = (term.path_span.begin, term.path_span.end)
    if len(term.path) > MAX_PATH:
        raise SiftFault(span=span, why=f"a path has at most {MAX_PATH} parts")
    kinds = [kind]
    for at, part in enumerate(term.path):
        here, is_last = kinds[-1], at == len(term.path) - 1
        field = KINDS[here].field(part)
        if is_last and field is not None:
            return tuple(kinds), field
        if part in KINDS and (part == here or way_between(here, part) is not None):
            kinds.append(part)
            if is_last:
                return tuple(kinds), NAME
            continue
        owner = _only_owner(part, kind=here) if is_last else None
        if owner is not None:
            found = KINDS[owner].field(part)
            if found is not None:
                return (*kinds, owner), found
        raise _unknown(part, kind=here, span=span, is_last=is_last)
    raise SiftFault(span=span, why="nothing is named")


def owners_of(name: str, *, kind: str) -> list[str]:
    """Return the kinds with a field of this name that a kind leads to, the nearest first."""
    ways = {
        one.name: way
        for one in KINDS.values()
        if one.name != kind
        and one.field(name) is not None
        and (way := way_between(kind, one.name)) is not None
    }
    return sorted(ways, key=lambda one: (len(ways[one]), one))


def _only_owner(name: str, *, kind: str) -> str | None:
    owners = owners_of(name, kind=kind)
    return owners[0] if len(owners) == 1 else None


def _unknown(part: str, *, kind: str, span: tuple[int, int], is_last: bool) -> SiftFault:
    owners = owners_of(part, kind=kind) if is_last else []
    if owners:
        return SiftFault(
            span=span,
            why=f"{KINDS[kind].plural} have no {part}; several that they lead to do",
            would_be=tuple(f"{one}.{part}" for one in owners[:N_HINTS]),
        )
    known = [one.name for one in KINDS[kind].fields] + sorted(KINDS)
    return SiftFault(
        span=span,
        why=f"{KINDS[kind].plural} have no {part}",
        would_be=_close(part, among=known),
    )


def _close(told: str, *, among: list[str]) -> tuple[str, ...]:
    return tuple(get_close_matches(told, among, n=N_HINTS, cutoff=0.5))


def check(node: Node, *, kind: str) -> None:
    """Raise SiftFault at the first term that means nothing on a kind."""
    if isinstance(node, Term):
        bind(node, kind=kind)
    elif isinstance(node, Not):
        check(node.of, kind=kind)
    elif isinstance(node, All | AnyOf):
        for one in node.of:
            check(one, kind=kind)


def check_anywhere(node: Node, *, kind: str) -> None:
    """Raise SiftFault at the first term that means nothing on any kind.

    It is told of the kind that understands most of the term, of the one that is named first.
    """
    for term in terms_of(node):
        faults: list[SiftFault] = []
        for one in (kind, *KINDS):
            try:
                check(term, kind=one)
            except SiftFault as exc:
                faults.append(exc)
            else:
                break
        else:
            raise max(faults, key=lambda fault: fault.span[0])
