"""Reads the text of a sift."""

from functools import cache
from typing import Any

from lark import Lark, Token, Transformer, UnexpectedInput, UnexpectedToken, v_args
from lark.exceptions import UnexpectedCharacters

from keelmark.core.errors import SiftFault
from keelmark.core.sift.tree import All, AnyOf, Comparison, Node, Not, Span, Term, Word, terms_of

MAX_CHARS = 4000
MAX_TERMS = 64
_JOINERS = frozenset({"and", "or", "not"})
MAX_DEPTH = 32  # of brackets: what is read by recursion must end
GRAMMAR = r"""
?start: any
     | -> nothing
any: all (OR all)*
all: part (AND? part)*
?part: (NOT | MINUS) part -> no
     | "(" any ")"
     | HEAD (BARE | QUOTED) -> term
     | (BARE | QUOTED) -> word

OR.3: /or(?=[\s()]|$)/i
AND.3: /and(?=[\s()]|$)/i
NOT.3: /not(?=[\s()]|$)/i
HEAD.2: /[a-z][a-z_]*(\.[a-z][a-z_]*)*(<=|>=|[:=<>~])/i
MINUS.2: /-(?=[^\s)])/
QUOTED.2: /"[^"]*"/
BARE: /[^\s()"]+/
%ignore /\s+/
"""


@cache
def _parser() -> Lark:
    return Lark(GRAMMAR, parser="lalr", lexer="contextual", propagate_positions=False)


def parse(text: str) -> Node:
    """Return what a sift says.

    Parameters
    ----------
    text : str
        At most 4,000 characters and 64 terms; nothing at all is everything.

    Raises
    ------
    SiftFault
        At the first character that cannot be read, with what would be right there.
    """
    if len(text) > MAX_CHARS:
        raise SiftFault(
            span=(MAX_CHARS, len(text)), why=f"a sift has at most {MAX_CHARS} characters"
        )
    if text.count('"') % 2:
        at = text.rindex('"')
        raise SiftFault(span=(at, len(text)), why="a quotation mark is not closed")
    _check_depth(text)
    try:
        node: Node = _Reader().transform(_parser().parse(text))
    except UnexpectedInput as exc:
        raise _fault_of(exc, text=text) from exc
    terms = terms_of(node)
    for one in terms:
        if isinstance(one, Word) and text[one.span.begin : one.span.end].lower() in _JOINERS:
            raise SiftFault(
                span=(one.span.begin, one.span.end),
                why=f"“{one.text}” has nothing beside it to join",
                would_be=(f'"{one.text}"',),
            )
    if len(terms) > MAX_TERMS:
        extra = terms[MAX_TERMS]
        begin = extra.path_span.begin if isinstance(extra, Term) else extra.span.begin
        raise SiftFault(
            span=(begin, len(text)),
            why=f"a sift has at most {MAX_TERMS} terms, this one has {len(terms)}",
        )
    return node


def _check_depth(text: str) -> None:
    depth = 0
    for at, one in enumerate(text):
        depth += (one == "(") - (one == ")")
        if depth > MAX_DEPTH:
            raise SiftFault(span=(at, at + 1), why=f"brackets go at most {MAX_DEPTH} deep")


def _fault_of(exc: UnexpectedInput, *, text: str) -> SiftFault:
    if isinstance(exc, UnexpectedToken) and exc.token.type != "$END":
        begin, end = _span(exc.token)
        before = text[:begin].rstrip()
        if exc.token.type == "RPAR":
            why = "this bracket was never opened" if "(" not in before else "something is missing"
        elif before[-1:] in set(":=<>~"):
            why = f"a value is missing after {before.split()[-1]}"
        else:
            why = f"“{exc.token}” has nothing beside it to join"
        return SiftFault(span=(begin, end), why=why)
    if isinstance(exc, UnexpectedCharacters) and exc.pos_in_stream is not None:
        at = exc.pos_in_stream
        return SiftFault(span=(at, at + 1), why=f"“{text[at]}” means nothing here")
    bare = text.rstrip()
    at = len(bare)
    if bare[-1:] in set(":=<>~"):
        why = f"a value is missing after {bare.split()[-1]}"
    elif bare.count("(") > bare.count(")"):
        why = "a bracket is not closed"
    else:
        why = "something is missing at the end"
    return SiftFault(span=(max(at - 1, 0), at), why=why)


def _span(token: Token) -> tuple[int, int]:
    begin = token.start_pos or 0
    return begin, begin + len(token)


_SIGNS = sorted(Comparison, key=len, reverse=True)


@v_args(inline=True)
class _Reader(Transformer[Token, Node]):
    """Turns the parser's tree into ours."""

    def nothing(self) -> Node:
        return All(of=())

    def any(self, *parts: Any) -> Node:  # Any: tokens and nodes
        nodes = _nodes(parts)
        return nodes[0] if len(nodes) == 1 else AnyOf(of=nodes)

    def all(self, *parts: Any) -> Node:  # Any: tokens and nodes
        told, alone = [], True
        for part in parts:
            if isinstance(part, Token):
                alone = False  # `and` stands before it
                continue
            told.append((part, alone))
            alone = True
        nodes = _alternatives(told)
        return nodes[0] if len(nodes) == 1 else All(of=nodes)

    def no(self, _sign: Token, part: Node) -> Node:
        return Not(of=part)

    def term(self, head: Token, text: Token) -> Node:
        sign = next(one for one in _SIGNS if head.endswith(one))
        begin, end = _span(head)
        return Term(
            path=tuple(head[: -len(sign)].lower().split(".")),
            comparison=Comparison(sign),
            text=_unquoted(text),
            path_span=Span(begin, end - len(sign)),
            text_span=Span(*_span(text)),
        )

    def word(self, text: Token) -> Node:
        return Word(text=_unquoted(text), span=Span(*_span(text)))


def _nodes(parts: tuple[Any, ...]) -> tuple[Node, ...]:  # Any: tokens and nodes
    return tuple(part for part in parts if not isinstance(part, Token))


def _unquoted(token: Token) -> str:
    return str(token)[1:-1] if token.type == "QUOTED" else str(token)


def _alternatives(told: list[tuple[Node, bool]]) -> tuple[Node, ...]:
    """Join `field:a field:b` that stand without `and`: of one field they are alternatives."""
    nodes: list[Node] = []
    at_of: dict[tuple[str, ...], int] = {}
    for node, is_alone in told:
        if isinstance(node, Term) and node.comparison is Comparison.IS and is_alone:
            at = at_of.setdefault(node.path, len(nodes))
            if at < len(nodes):
                before = nodes[at]
                parts = before.of if isinstance(before, AnyOf) else (before,)
                nodes[at] = AnyOf(of=(*parts, node))
                continue
        nodes.append(node)
    return tuple(nodes)


__all__ = ["GRAMMAR", "MAX_CHARS", "MAX_TERMS", "parse"]
