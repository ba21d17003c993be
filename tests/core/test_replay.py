from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from keelmark.core.errors import ShapeError
from keelmark.core.performance import PARTS
from keelmark.core.qos import Limits, Places, Shared, curve, demand_of, replayed
from keelmark.core.qos.filling import filled
from keelmark.core.qos.replay import with_maximum

STEP = 300
FREE = np.inf
N, T = 5, 9
asked_of = arrays(np.float64, (N, T), elements=st.floats(0, 5_000))
limits_of = arrays(np.float64, (N,), elements=st.floats(1, 5_000))
groups_of = arrays(np.int64, (N,), elements=st.integers(-1, 2))
ceilings_of = arrays(np.float64, (3,), elements=st.floats(1, 8_000))


def limited(maximum, *, minimum=None, shared=()):
    return Limits(
        maximum=np.asarray(maximum, dtype=np.float64),
        minimum=np.zeros(len(maximum)) if minimum is None else np.minimum(minimum, maximum),
        shared=shared,
    )


def plain_share(wanted, minimum, ceiling):
    """One group, by halving: who has least is raised first."""
    base = [min(w, m) for w, m in zip(wanted, minimum, strict=True)]
    if sum(base) >= ceiling:
        return [one * ceiling / sum(base) for one in base]
    low, high = 0.0, max(wanted)
    for _ in range(60):
        level = (low + high) / 2
        told = [min(w, max(b, level)) for w, b in zip(wanted, base, strict=True)]
        low, high = (level, high) if sum(told) < ceiling else (low, level)
    return [min(w, max(b, low)) for w, b in zip(wanted, base, strict=True)]


def plainly(asked, limits):
    """The same disk by disk and step by step: what is done, and the delay of each step."""
    n, n_steps = asked.shape
    line, done, delay = [0.0] * n, np.zeros(asked.shape), np.zeros(asked.shape)
    for step in range(n_steps):
        want = [line[at] / STEP + asked[at, step] for at in range(n)]
        does = [min(want[at], limits.maximum[at]) for at in range(n)]
        for shared in limits.shared:
            for group, ceiling in enumerate(shared.ceiling):
                rows = [at for at in range(n) if shared.group[at] == group]
                if sum(does[at] for at in rows) > ceiling:
                    told = plain_share(
                        [does[at] for at in rows], [limits.minimum[at] for at in rows], ceiling
                    )
                    for at, one in zip(rows, told, strict=True):
                        does[at] = one
        for at in range(n):
            line[at] = max(0.0, want[at] - does[at]) * STEP
            done[at, step] = does[at]
            delay[at, step] = 1000 * line[at] / does[at] if line[at] > 0 else 0
    return done, delay, np.array(line)


@given(asked_of)
def test_without_limits_all_that_is_asked_for_is_done(asked):
    told = replayed(asked, limited([FREE] * N), kept=np.arange(N), recorded=asked)
    assert np.array_equal(told.done, asked)
    assert not told.worst_ms.any()
    assert not told.held_steps.any()
    assert not told.missed.any()


@settings(max_examples=40)
@given(asked_of, limits_of, limits_of, groups_of, ceilings_of, groups_of, ceilings_of)
def test_the_same_as_disk_by_disk(asked, maximum, minimum, group, ceiling, place, can):
    limits = limited(
        maximum, minimum=minimum,
        shared=(Shared(group=group, ceiling=ceiling), Shared(group=place, ceiling=can)),
    )  # fmt: skip
    told = replayed(asked, limits, kept=np.arange(N), places=Places(at=place, n=3))
    done, delay, left = plainly(asked, limits)
    assert np.allclose(told.done, done, rtol=1e-4, atol=1e-3)
    assert np.allclose(told.left, left, rtol=1e-4, atol=1)
    is_clear = (delay == 0) | (delay > 1e-3)  # of a line of rounding alone nothing is told
    assert np.allclose(told.delay_ms[is_clear], delay[is_clear], rtol=1e-3, atol=1e-2)
    load = np.stack([done[place == one].sum(axis=0) for one in range(3)])
    assert np.allclose(told.load, load, rtol=1e-4, atol=1e-2)


@given(asked_of, limits_of, groups_of, ceilings_of)
def test_what_is_asked_for_is_done_or_still_in_line(asked, maximum, group, ceiling):
    told = replayed(asked, limited(maximum, shared=(Shared(group=group, ceiling=ceiling),)))
    assert np.allclose(told.served + told.left, asked.sum(axis=1) * STEP, rtol=1e-9, atol=1e-3)


@given(asked_of, limits_of, st.integers(0, N - 1), st.floats(1, 10))
def test_a_higher_limit_delays_nobody_more_where_nothing_else_is_full(asked, maximum, row, by):
    before = limited(maximum)
    after = with_maximum(before, rows=np.array([row]), maximum=maximum[row] * by)
    was, now = (replayed(asked, one, kept=np.arange(N)) for one in (before, after))
    assert (now.delay_ms <= was.delay_ms * (1 + 1e-6) + 1e-3).all()
    assert (now.held_steps <= was.held_steps).all()
    assert (now.worst_ms <= was.worst_ms * (1 + 1e-6) + 1e-3).all()


@given(asked_of, limits_of, groups_of, ceilings_of, st.permutations(range(N)))
def test_it_does_not_matter_in_which_order_disks_stand(asked, maximum, group, ceiling, order):
    order = np.array(order)
    plain = replayed(asked, limited(maximum, shared=(Shared(group=group, ceiling=ceiling),)))
    turned = replayed(
        asked[order],
        limited(maximum[order], shared=(Shared(group=group[order], ceiling=ceiling),)),
    )
    assert np.allclose(turned.served, plain.served[order], rtol=1e-6, atol=1)


@given(
    arrays(np.float64, (9,), elements=st.floats(0, 1e4)),
    arrays(np.float64, (9,), elements=st.floats(0, 1e3)),
    arrays(np.int64, (9,), elements=st.integers(0, 2)),
    arrays(np.float64, (3,), elements=st.floats(0, 2e4)),
)
def test_a_place_is_shared_out_to_its_ceiling_with_minimums_first(wanted, minimum, group, ceiling):
    got = filled(wanted, minimum=minimum, group=group, ceiling=ceiling)
    assert (got <= wanted + 1e-6).all()
    assert (got >= -1e-9).all()
    for one in range(3):
        mine = group == one
        total, promised = wanted[mine].sum(), np.minimum(wanted, minimum)[mine].sum()
        assert got[mine].sum() == pytest.approx(min(total, ceiling[one]), rel=1e-9, abs=1e-6)
        if promised <= ceiling[one]:
            assert (got[mine] >= np.minimum(wanted, minimum)[mine] - 1e-6).all()
        others = got[mine & (got < wanted - 1e-6)]  # all whose wish is cut stand at one level
        above = others[others > np.minimum(wanted, minimum)[mine & (got < wanted - 1e-6)] + 1e-6]
        if promised <= ceiling[one] and len(above):
            assert np.ptp(above) <= 1e-6 * max(1, above.max())


QOS = PARTS.index("qos_latency_ms")


def asked_for(steps):
    """What the estimate makes of what a host tells."""
    return demand_of(
        steps[:, 0] + steps[:, 1], qos_ms=steps[:, QOS],
        queue_ms=steps[:, PARTS.index("queue_latency_ms")],
    )  # fmt: skip


def recorded(asked, limit, *, patience_seconds=FREE):
    """What a host tells of a disk behind a limit; a long line lets people ask for less."""
    steps = np.zeros((1, len(PARTS), len(asked)))
    line = 0.0
    for at, one in enumerate(asked):
        steps[0, 0, at] = min(limit, one + line / STEP)
        line = min(max(0.0, line + (one - limit) * STEP), patience_seconds * limit)
        steps[0, PARTS.index("qos_latency_ms"), at] = 1000 * line / limit
    return steps


@given(st.lists(st.floats(0, 900), min_size=4, max_size=40), st.floats(200, 1_000))
def test_what_waits_tells_what_was_asked_for(asked, limit):
    asked = np.array([0.0, *asked])  # nothing in line to begin with
    steps = recorded(asked, limit)
    told = asked_for(steps)
    first = np.flatnonzero(told.is_least[0])
    until = first[0] if len(first) else len(asked)
    line = np.cumsum(asked - told.asked[0]) * STEP
    assert np.abs(line[:until]).max() <= 0.01 * limit * STEP + 1
    again = replayed(told.asked[:, :until], limited([limit]), recorded=steps[:, 0, :until])
    assert again.missed[0] <= 1e-6 * max(again.served[0], 1)


COURSES = {
    "a hump": lambda x: 100 + 500 * np.exp(-(((x - 0.5) / 0.12) ** 2)),
    "two humps": lambda x: 80 + 420 * np.exp(-(((x - 0.4) / 0.08) ** 2))
    + 400 * np.exp(-(((x - 0.65) / 0.09) ** 2)),
    "a sine": lambda x: 300 + 280 * np.sin(2 * np.pi * (x - 0.25)),
    "a job": lambda x: np.where((x > 0.4) & (x < 0.6), 560.0, 60.0),
    "a ramp": lambda x: 560 * np.minimum(x / 0.7, 1) * (x < 0.9) + 40,
}  # fmt: skip


@pytest.mark.parametrize("name", COURSES)
@pytest.mark.parametrize("share", [0.5, 0.75, 0.9])
def test_where_nothing_more_is_seen_it_is_bridged_and_marked(name, share):
    noise = np.exp(0.05 * np.random.default_rng(5).normal(size=288))
    asked = COURSES[name](np.arange(288) / 288) * noise
    limit = share * asked.max()
    told = asked_for(recorded(asked, limit, patience_seconds=0.25))
    unseen = told.is_least[0]
    if name in ("a hump", "two humps", "a sine", "a job"):
        assert unseen.any()
    assert (told.asked[0][unseen] >= limit * 0.999).all()
    assert (told.asked[0][unseen] <= 1.6 * limit * 1.001).all()
    short = np.abs(np.minimum(asked, limit) - asked)[unseen].sum()  # if the limit were believed
    missed = np.abs(told.asked[0] - asked)[unseen].sum()
    assert missed <= 1.02 * short + 1e-6
    seen = ~unseen & (asked < 0.95 * limit)
    seen[1:] &= ~unseen[:-1]
    assert np.median(np.abs(told.asked[0] - asked)[seen] / asked[seen]) < 0.01


def test_a_disk_that_nobody_reads_asks_for_nothing():
    steps = np.full((1, len(PARTS), 6), np.nan)
    told = asked_for(steps)
    assert not told.asked.any()
    assert not told.is_read.any()
    assert not told.is_estimated.any()


@given(asked_of, limits_of, st.floats(0.01, 1_000))
def test_nobody_waits_longer_than_he_has_patience_for(asked, maximum, seconds):
    limits = replace(limited(maximum), patience=np.full(N, seconds))
    told = replayed(asked, limits, kept=np.arange(N))
    free = replayed(asked, limited(maximum), kept=np.arange(N))
    assert (told.worst_ms <= 1000 * seconds * (1 + 1e-6)).all()
    assert (told.delay_ms <= free.delay_ms * (1 + 1e-6) + 1e-3).all()
    done = told.served + told.left + told.forgone
    assert np.allclose(done, asked.sum(axis=1) * STEP, rtol=1e-9, atol=1e-3)


def test_whose_line_stands_at_its_end_is_replayed_as_he_was_recorded():
    asked = np.concatenate([np.full(6, 100.0), np.full(12, 900.0), np.full(6, 100.0)])
    steps = recorded(asked, 500.0, patience_seconds=0.25)
    told = asked_for(steps)
    assert told.patience[0] == pytest.approx(0.25)
    limits = replace(limited([500.0]), patience=told.patience)
    again = replayed(told.asked, limits, recorded=steps[:, 0], kept=np.array([0]))
    assert again.missed[0] <= 1e-6 * again.served[0]
    assert np.allclose(again.delay_ms[0], steps[0, PARTS.index("qos_latency_ms")], atol=0.1)


@given(asked_of, limits_of)
def test_a_curve_is_what_each_limit_does_by_itself_and_falls(asked, minimum):
    maxima = np.array([100.0, 500.0, 1_000.0, 4_000.0])
    told = curve(asked, minimum=minimum, maxima=maxima)
    for at, one in enumerate(maxima):
        run = replayed(asked, limited([one] * N))
        assert told.n_ever[at] == (run.held_steps > 0).sum()
        assert told.worst_ms[at] == pytest.approx(run.worst_ms.max(), rel=1e-5)
    assert (np.diff(told.n_held) <= 0).all()
    assert (np.diff(told.n_ever) <= 0).all()


def test_who_starves_is_who_has_less_than_its_minimum_and_waits():
    asked = np.array([[400.0] * 6, [400.0] * 6])
    under = Shared(group=np.array([0, 0]), ceiling=np.array([300.0]))
    told = replayed(asked, limited([FREE, FREE], minimum=np.array([250.0, 0.0]), shared=(under,)))
    assert told.starved_steps.tolist() == [0, 0]
    told = replayed(asked, limited([FREE, FREE], minimum=np.array([350.0, 0.0]), shared=(under,)))
    assert told.starved_steps.tolist() == [5, 0]
    assert told.held_steps.tolist() == [5, 5]  # two of the last three, so not yet at the first


def test_arrays_that_do_not_fit_are_refused():
    with pytest.raises(ShapeError):
        replayed(np.zeros((2, 3)), limited([1.0]))
    with pytest.raises(ShapeError):
        demand_of(np.zeros((2, 3)), qos_ms=np.zeros((2, 3)), queue_ms=np.zeros((2, 4)))
