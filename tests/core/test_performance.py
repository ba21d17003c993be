"""Steps added up and rolled up, against the same worked out one by one."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import ShapeError
from keelmark.core.performance import PARTS, added, binned, busy, operations, rolled

N_RATES = 4
READ_WAIT, WRITE_WAIT = PARTS.index("read_latency_ms"), PARTS.index("write_latency_ms")


@st.composite
def steps(draw, n_things=None, n_steps=None):
    """Means by thing, part and step with whatever is missing."""
    n_things = n_things or draw(st.integers(1, 5))
    n_steps = n_steps or draw(st.integers(1, 8))
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    told = rng.gamma(2.0, 50.0, (n_things, len(PARTS), n_steps))
    told[rng.random(told.shape) < draw(st.sampled_from([0, 0.1, 0.5, 1]))] = np.nan
    return told


def weighed(values, weights):
    """A mean weighted by operations; nothing where nothing was done."""
    known = [(v, w) for v, w in zip(values, weights, strict=True) if not np.isnan(v) and w > 0]
    total = sum(w for _, w in known)
    return sum(v * w for v, w in known) / total if total else np.nan


def weights_of(thing, part):
    """By what a part's wait counts: reads, writes, or both."""
    one = {READ_WAIT: thing[..., 0, :], WRITE_WAIT: thing[..., 1, :]}.get(part)
    return np.nan_to_num(operations(thing) if one is None else one)


@given(steps(), st.data())
def test_a_sum_is_what_its_things_add_up_to(told, data):
    n_groups = data.draw(st.integers(1, 4))
    of = np.array(data.draw(st.lists(st.integers(0, n_groups - 1), min_size=len(told),
                                     max_size=len(told))))  # fmt: skip
    sums, n_read = added(told, of=of, n_groups=n_groups)
    done = operations(told)
    for group in range(n_groups):
        mine = told[of == group]
        for at in range(told.shape[2]):
            assert n_read[group, at] == (~np.isnan(done[of == group, at])).sum()
            for part in range(len(PARTS)):
                known = mine[:, part, at][~np.isnan(mine[:, part, at])]
                if part < N_RATES:
                    wanted = known.sum() if len(known) else np.nan
                else:
                    wanted = weighed(mine[:, part, at], weights_of(mine, part)[:, at])
                assert sums[group, part, at] == pytest.approx(wanted, nan_ok=True)


@given(steps(), st.permutations(range(5)))
def test_a_sum_does_not_depend_on_the_order_of_its_things(told, order):
    order = [at for at in order if at < len(told)]
    group = np.zeros(len(told), dtype=np.int64)
    plain, n_plain = added(told, of=group, n_groups=1)
    mixed, n_mixed = added(told[order], of=group, n_groups=1)
    np.testing.assert_allclose(plain, mixed)
    assert (n_plain == n_mixed).all()


@given(steps(n_steps=12), st.sampled_from([1, 2, 3, 4, 6, 12]))
def test_means_over_more_steps_are_those_of_the_steps(told, width):
    means, peak, n_read = rolled(told, width=width)
    done = operations(told)
    for thing in range(len(told)):
        for at in range(12 // width):
            cut = told[thing, :, at * width : (at + 1) * width]
            ops = done[thing, at * width : (at + 1) * width]
            assert n_read[thing, at] == (~np.isnan(cut)).any(axis=0).sum()
            known_ops = ops[~np.isnan(ops)]
            wanted = known_ops.max() if len(known_ops) else np.nan
            assert peak[thing, at] == pytest.approx(wanted, nan_ok=True)
            for part in range(len(PARTS)):
                known = cut[part][~np.isnan(cut[part])]
                plain = known.mean() if len(known) else np.nan
                by_ops = np.nan if part < N_RATES else weighed(cut[part], weights_of(cut, part))
                wanted = plain if np.isnan(by_ops) else by_ops
                assert means[thing, part, at] == pytest.approx(wanted, nan_ok=True)


@given(steps(n_things=1), st.integers(1, 10))
def test_bins_hold_every_step_once_and_their_mean_lies_within(told, n_bins):
    bins = binned(told[0], n_bins=n_bins)
    assert len(bins.least) <= n_bins
    assert bins.n_read.sum() == (~np.isnan(told[0])).any(axis=0).sum()
    both = operations(told[0])
    if (~np.isnan(both)).any():
        assert np.nanmin(bins.least) == np.nanmin(both)
        assert np.nanmax(bins.most) == np.nanmax(both)


def test_what_does_not_fit_is_refused():
    with pytest.raises(ShapeError):
        added(np.zeros((2, 3, 4)), of=np.zeros(2, dtype=np.int64), n_groups=1)
    with pytest.raises(ShapeError):
        rolled(np.zeros((len(PARTS), 7)), width=3)


@given(steps(), st.floats(0, 1), st.integers(1, 6))
def test_busy_hours_are_the_quantile_of_what_was_read(told, share, least):
    done = operations(told)
    for row, amount in zip(done, busy(done, share=share, least_read=least), strict=True):
        known = row[~np.isnan(row)]
        if len(known) < least:
            assert np.isnan(amount)
        else:
            assert amount == pytest.approx(np.quantile(known, share))
