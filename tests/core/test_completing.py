"""What may come next while a sift is typed."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.sift import parse
from keelmark.core.sift.completing import complete, quoted

WORDS = {
    ("pool", "class"): [("Steady", 3), ("Swift", 9), ("Very Deep", 1)],
    ("pool", "name"): [("heron-1·swift-1", 1)],
}


def values(kind: str, name: str) -> list[tuple[str, int]]:
    return WORDS.get((kind, name), [])


@pytest.mark.parametrize(
    ("typed", "kind", "first", "begin"),
    [
        ("cla", "pool", "class:", 0),
        ("swift fre", "pool", "free>", 6),
        ("-cla", "pool", "class:", 1),
        ("(cla", "pool", "class:", 1),
        ("class:", "pool", "Swift", 6),
        ("class:st", "pool", "Steady", 6),
        ('class:"ve', "pool", '"Very Deep"', 6),
        ("pool.cl", "volume", "pool.class:", 0),
        ("pool.class:sw", "vm", "Swift", 11),
        ("pool:her", "vm", "heron-1·swift-1", 5),
        ("kind:vo", "pool", "volume", 5),
        ("mapped:", "volume", "yes", 7),
        ("runway<", "pool", "45d", 7),
        ("free>2", "pool", "22TB", 5),
    ],
)
def test_the_first_suggestion_fits(typed: str, kind: str, first: str, begin: int):
    found = complete(typed, cursor=len(typed), kind=kind, values=values)
    assert found.suggestions[0].text == first
    assert (found.span.begin, found.span.end) == (begin, len(typed))


@pytest.mark.parametrize("typed", ["nothing.such", "colour:re", "x.y.z:"])
def test_where_nothing_fits_nothing_is_suggested(typed: str):
    assert complete(typed, cursor=len(typed), kind="pool", values=values).suggestions == ()


def test_only_what_stands_before_the_cursor_counts():
    found = complete("cla free>2", cursor=3, kind="pool", values=values)
    assert [one.text for one in found.suggestions] == ["class:"]


@given(st.text(max_size=30), st.integers(-3, 40))
def test_whatever_is_typed_is_completed_within_it(typed: str, cursor: int):
    found = complete(typed, cursor=cursor, kind="pool", values=values)
    assert 0 <= found.span.begin <= found.span.end <= len(typed)


@given(st.text(st.characters(exclude_characters='"'), min_size=1, max_size=12))
def test_a_word_stands_quoted_where_it_must(word: str):
    node = parse(quoted(word)) if word.strip() else None
    assert node is None or getattr(node, "text", None) == word
