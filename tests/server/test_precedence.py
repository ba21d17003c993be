from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.estate.kinds import SPECS
from keelmark.estate.models import Kind, Protocol, Source, Statement
from keelmark.estate.precedence import MUST_AGREE, OF_ATTRIBUTE, OF_KIND, order_of
from keelmark.estate.services.statements import merged
from tests.server.conftest import NOW

ATTRIBUTES = ("size_bytes", "written_bytes", "workload", "project_uid")


@st.composite
def statements(draw):
    """Some of the sources, each with some of the attributes, no two read at once."""
    protocols = draw(st.lists(st.sampled_from(list(Protocol)), min_size=1, max_size=6))
    made = []
    for number, protocol in enumerate(protocols):
        names = draw(st.sets(st.sampled_from(ATTRIBUTES)))
        made.append(
            Statement(
                source=Source(name=f"{protocol} {number}", protocol=protocol),
                facts={name: f"{name} of {number}" for name in names},
                read_at=NOW + timedelta(minutes=number),
                gone_at=NOW + timedelta(days=1) if draw(st.booleans()) else None,
            )
        )
    return made


@given(statements(), st.randoms(use_true_random=False))
def test_the_order_in_which_sources_come_changes_nothing(said, random):
    shuffled = random.sample(said, len(said))
    assert merged(Kind.VOLUME, statements=said) == merged(Kind.VOLUME, statements=shuffled)


@given(statements())
def test_whatever_anybody_says_is_said_and_nothing_is_made_up(said):
    told = merged(Kind.VOLUME, statements=said)
    assert told.keys() == {name for s in said for name in s.facts}
    assert all(any(s.facts.get(name) == fact for s in said) for name, fact in told.items())


@given(statements())
def test_nobody_who_is_believed_less_or_lost_the_thing_is_heard_first(said):
    told = merged(Kind.VOLUME, statements=said)
    for name, fact in told.items():
        order = order_of(Kind.VOLUME, attribute=name)

        def rank(s, order=order):
            return (s.gone_at is not None, order.index(s.source.protocol), -s.read_at.timestamp())

        heard = next(s for s in said if s.facts.get(name) == fact)
        assert rank(heard) == min(rank(s) for s in said if name in s.facts)


@pytest.mark.parametrize("orders", [OF_KIND, OF_ATTRIBUTE], ids=["kinds", "attributes"])
def test_every_order_names_every_protocol_once(orders):
    for order in orders.values():
        assert sorted(order) == sorted(Protocol)


def test_every_kind_has_an_order_and_what_must_agree_is_a_field_of_its_kind():
    assert OF_KIND.keys() == SPECS.keys()
    for kind, names in MUST_AGREE.items():
        assert set(names) <= set(SPECS[kind].document.__struct_fields__)
    known = {name for spec in SPECS.values() for name in spec.document.__struct_fields__}
    assert known >= OF_ATTRIBUTE.keys()
