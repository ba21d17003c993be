import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import ShapeError
from keelmark.core.policy.history import Judged, changed
from keelmark.core.policy.states import BROKEN, MET, SETTLING, UNPROVEN

keys = st.tuples(st.integers(1, 6), st.integers(0, 3))
states = st.sampled_from([MET, SETTLING, UNPROVEN, BROKEN])
told = st.dictionaries(keys, states, max_size=12)


def judged(of):
    return Judged(
        subject=np.array([subject for subject, _ in of], dtype=np.int64),
        rule=np.array([rule for _, rule in of], dtype=np.int64),
        state=np.array(list(of.values()), dtype=np.int8),
    )


@given(told, told)
def test_what_is_kept_with_the_changes_is_what_is_judged_now(older, newer):
    older = {key: state for key, state in older.items() if state != SETTLING}
    before, after = judged(older), judged(newer)
    found = changed(before, after)
    kept = dict(older)
    ids = list(newer)
    for at in found.fresh:
        assert ids[at] not in kept
        kept[ids[at]] = newer[ids[at]]
    for at, was in zip(found.other, found.was, strict=True):
        assert list(older)[was] == ids[at]
        assert kept[ids[at]] != newer[ids[at]]
        kept[ids[at]] = newer[ids[at]]
    for at in found.gone:
        del kept[list(older)[at]]
    settled = {key: state for key, state in newer.items() if state != SETTLING}
    left = {key: older[key] for key, state in newer.items() if state == SETTLING and key in older}
    assert kept == {**settled, **left}


@given(told)
def test_nothing_changes_while_nothing_does(of):
    of = {key: state for key, state in of.items() if state != SETTLING}
    found = changed(judged(of), judged(of))
    assert not len(found.fresh) + len(found.other) + len(found.gone)


def test_a_verdict_that_is_told_twice_is_refused():
    twice = Judged(subject=np.array([1, 1]), rule=np.array([2, 2]), state=np.array([MET, MET]))
    with pytest.raises(ShapeError):
        changed(twice, twice)
