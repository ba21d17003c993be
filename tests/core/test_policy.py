"""Rules over columns: as worked out one by one, whatever their order, stricter is never kinder."""

import math
from dataclasses import fields, replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.policy.facts import SUBJECTS
from keelmark.core.policy.groups import grouped, paired
from keelmark.core.policy.judging import Policy, Subjects, aged, faults_of, judged, rejudged
from keelmark.core.policy.nearest import LEVELS, Level, Named, nearest
from keelmark.core.policy.places import places_for
from keelmark.core.policy.rules import (
    PLACE_OF,
    RULES,
    Apart,
    BackedUp,
    CopyElsewhere,
    Encrypted,
    HasTier,
    Known,
    Labelled,
    OnMedia,
    OvercommitCeiling,
    RunwayFloor,
    Sites,
    SnapshotsEvery,
    SnapshotsKept,
    Survives,
    Together,
    rule_of,
    told_of,
)
from keelmark.core.policy.states import BROKEN, EXEMPT, MET, SETTLING, UNPROVEN, VERDICTS, Verdict
from tests.core.policy_facts import LABEL, NOW, ONE_EACH, STRICTER, Plain, facts, made

WAYS = [pytest.param(rule, id=f"{rule.kind} {at}") for at, rule in enumerate(ONE_EACH)]


def promised(told, kind, *, policy=0, changed_at=np.nan):
    n = told.n_of(kind)
    return Subjects(
        kind=kind, policy=np.full(n, policy), changed_at=np.full(n, changed_at, dtype=np.float64)
    )


@pytest.mark.parametrize("rule", WAYS)
@given(told=facts)
def test_every_rule_finds_what_is_worked_out_one_by_one(rule, told):
    plain = Plain(told)
    for kind in SUBJECTS:
        states = rule.found_of(told, kind=kind).states
        found = [VERDICTS[code].value for code in states.tolist()]
        assert found == [plain.state(rule, kind, row) for row in range(told.n_of(kind))], kind


@pytest.mark.parametrize("name", STRICTER)
@given(told=facts)
def test_a_stricter_rule_never_mends_a_subject(name, told):
    loose, strict = STRICTER[name]
    for kind in SUBJECTS:
        before, after = (rule.found_of(told, kind=kind).states for rule in (loose, strict))
        assert (after >= before).all(), kind


@pytest.mark.parametrize("rule", WAYS)
@given(told=facts, seed=st.integers(0, 2**32 - 1))
def test_what_is_found_does_not_depend_on_the_order_of_disks(rule, told, seed):
    order = np.random.default_rng(seed).permutation(told.n_of("disk"))
    disks = replace(
        told.disks, **{one.name: getattr(told.disks, one.name)[order] for one in fields(told.disks)}
    )
    labels = {**told.labels, "disk": {LABEL: told.labels["disk"][LABEL][order]}}
    other = replace(told, disks=disks, labels=labels, disks_of=grouped(disks.vm, n=told.n_of("vm")))
    before, after = (rule.found_of(one, kind="disk").states for one in (told, other))
    assert (after == before[order]).all()
    before, after = (rule.found_of(one, kind="vm").states for one in (told, other))
    assert (after == before).all()


@given(told=facts)
def test_a_subject_stands_at_its_worst_rule_and_others_are_exempt(told):
    policy = Policy(name="both", rules=(Encrypted(), RunwayFloor(least_days=90)))
    for kind in SUBJECTS:
        verdicts = judged(told, promised(told, kind), policies=[policy])
        columns = [PLACE_OF["encrypted"], PLACE_OF["runway"]]
        assert (verdicts.worst == verdicts.states[:, columns].max(axis=1, initial=EXEMPT)).all()
        others = np.delete(verdicts.states, columns, axis=1)
        assert (others == EXEMPT).all()
        assert sum(verdicts.counts().values()) == told.n_of(kind)
        assert verdicts.counts(policy=0) == verdicts.counts()


@given(told=facts)
def test_without_a_policy_everything_is_exempt(told):
    verdicts = judged(told, promised(told, "disk", policy=NOWHERE), policies=[])
    assert (verdicts.states == EXEMPT).all()


@given(told=facts, age=st.floats(0, 200), settling=st.integers(0, 120))
def test_what_changed_lately_settles_and_says_how_long(told, age, settling):
    policy = Policy(name="new", rules=(Encrypted(),), settling_minutes=settling)
    plain = judged(told, promised(told, "volume"), policies=[policy])
    lately = judged(told, promised(told, "volume", changed_at=NOW - age), policies=[policy])
    was_open = np.isin(plain.states, (BROKEN, UNPROVEN))
    if age < settling:
        assert (lately.states[was_open] == SETTLING).all()
        assert (lately.states[~was_open] == plain.states[~was_open]).all()
        left = lately.settles_in[was_open.any(axis=1)]
        np.testing.assert_allclose(left, settling - age, atol=1e-6)
    else:
        assert (lately.states == plain.states).all()
        assert np.isnan(lately.settles_in).all()


@given(told=facts)
def test_a_changed_rule_is_one_column_and_as_if_all_were_judged_anew(told):
    def asked(days):
        return Policy(name="one", rules=(Encrypted(), RunwayFloor(least_days=days)))

    subjects = promised(told, "disk")
    before = judged(told, subjects, policies=[asked(30)])
    after = rejudged(
        before, told, subjects, policies=[asked(300)], at=0, rule=RunwayFloor(least_days=300)
    )
    anew = judged(told, subjects, policies=[asked(300)])
    for name in ("states", "amounts", "places"):
        np.testing.assert_array_equal(getattr(after, name), getattr(anew, name))
    assert (before.states == judged(told, subjects, policies=[asked(30)]).states).all()


@given(told=facts, minutes=st.integers(0, 60 * 24 * 40), kind=st.sampled_from(SUBJECTS))
def test_verdicts_that_age_are_those_judged_anew_later(told, minutes, kind):
    policies = [
        Policy(name="all", rules=tuple({rule.kind: rule for rule in ONE_EACH}.values())),
        Policy(name="some", rules=(Encrypted(), CopyElsewhere(within_minutes=90))),
    ]
    n = told.n_of(kind)
    subjects = Subjects(
        kind=kind, policy=np.arange(n) % 3 - 1, changed_at=np.full(n, told.now - 20.0)
    )
    later = replace(told, now=told.now + minutes)
    before = judged(told, subjects, policies=policies)
    after, anew = (
        aged(before, later, subjects, policies=policies),
        judged(later, subjects, policies=policies),
    )
    for name in ("states", "unsettled", "amounts", "places", "settles_in"):
        np.testing.assert_array_equal(getattr(after, name), getattr(anew, name))


# A label is what somebody gave, however long ago.
@pytest.mark.parametrize("rule", [one for one in ONE_EACH if one.kind != "label"])
def test_what_is_too_old_is_never_met(rule):
    told = made(3, share_unknown=0, share_stale=1)
    for kind in SUBJECTS:
        assert not (rule.found_of(told, kind=kind).states == MET).any(), kind


@given(told=facts)
def test_a_pool_that_would_keep_a_policy_holds_a_volume_that_does(told):
    policy = Policy(name="one", rules=(Encrypted(), OnMedia(media="ssd")))
    places = places_for(policy, facts=told)
    kept = judged(told, promised(told, "volume"), policies=[policy]).worst <= MET
    plain = Plain(told)
    for pool, would in enumerate(places.would_keep.tolist()):
        each = [
            any(
                VERDICTS[code] is Verdict.MET
                for code in rule.found_of(told, kind="volume").states[plain.volumes_of_pool[pool]]
            )
            for rule in policy.rules
        ]
        assert would == all(each)
        assert would or not kept[plain.volumes_of_pool[pool]].any()
    assert not (places.would_keep & ~places.may_keep).any()
    for kind, (n, alone) in places.rejections().items():
        assert 0 <= alone <= n == (places.states[:, PLACE_OF[kind]] == BROKEN).sum()


named = st.tuples(st.integers(NOWHERE, 3), st.sampled_from([math.nan, 1.0, 2.0, 3.0]))


@given(told=st.lists(st.lists(named, min_size=len(LEVELS), max_size=len(LEVELS)), max_size=8))
def test_the_nearest_level_wins_and_is_named_since_it_or_a_nearer_one_changed(told):
    table = np.array(told, dtype=np.float64).reshape(len(told), len(LEVELS), 2)
    levels = {
        level: Named(what=table[:, at, 0].astype(np.int64), since=table[:, at, 1])
        for at, level in enumerate(LEVELS)
    }
    bears = nearest(levels, n=len(told))
    for row, each in enumerate(told):
        by = next((at for at, (what, _) in enumerate(each) if what != NOWHERE), NOWHERE)
        assert bears.by[row] == by
        assert bears.what[row] == (NOWHERE if by == NOWHERE else each[by][0])
        nearer = each if by == NOWHERE else each[: by + 1]
        known = [at for _, at in nearer if not math.isnan(at)]
        assert bears.since[row] == pytest.approx(max(known, default=math.nan), nan_ok=True)


def test_a_level_of_another_length_is_refused():
    none = Named(what=np.zeros(3, dtype=np.int64), since=np.zeros(3))
    with pytest.raises(ShapeError):
        nearest({Level.ESTATE: none}, n=2)


@pytest.mark.parametrize("rule", WAYS)
def test_what_is_kept_of_a_rule_makes_it_again(rule):
    assert rule_of(rule.kind, told_of(rule)) == rule


@pytest.mark.parametrize(
    ("kind", "told"),
    [("shape", {}), ("copy", {"within": 3}), ("copy", {})],
    ids=["no-such-rule", "no-such-field", "a-field-missing"],
)
def test_what_is_no_rule_is_refused(kind, told):
    with pytest.raises(RangeError):
        rule_of(kind, told)


@pytest.mark.parametrize("rule", WAYS)
@pytest.mark.parametrize("state", [Verdict.MET, Verdict.BROKEN])
def test_every_rule_has_words_for_what_it_wants_and_finds(rule, state):
    told = {rule.wants(), rule.mends(), rule.says(state, 2.0), rule.says(state, None)}
    assert all(text and "nan" not in text for text in told)


KNOWN = Known(
    sites=frozenset({"Skerry", "Marram"}), tiers=frozenset({"Neap"}), least_rpo_minutes=15,
    is_everything_known=True,
)  # fmt: skip
RIGHT = {
    "copy": CopyElsewhere(within_minutes=240, site="Marram"), "sites": Sites(allowed=("Skerry",)),
    "snapshots": SnapshotsEvery(every_minutes=60), "kept": SnapshotsKept(for_days=7),
    "apart": Apart(label=LABEL, of="array"), "tier": HasTier(tier="Neap"),
}  # fmt: skip


@pytest.mark.parametrize(
    ("rules", "field"),
    [
        ([CopyElsewhere(within_minutes=5)], "within_minutes"),
        ([CopyElsewhere(within_minutes=0)], "within_minutes"),
        ([CopyElsewhere(within_minutes=60, site="Nowhere")], "site"),
        ([RIGHT["copy"], Sites(forbidden=("Marram",))], "site"),
        ([RIGHT["copy"], Sites(allowed=("Marram",))], "site"),
        ([Sites()], "allowed"),
        ([Sites(allowed=("Skerry",), forbidden=("Skerry",))], "forbidden"),
        ([Sites(allowed=("Nowhere",))], "allowed"),
        ([SnapshotsEvery(every_minutes=0)], "every_minutes"),
        ([SnapshotsKept(for_days=0)], "for_days"),
        ([SnapshotsEvery(every_minutes=20_000), SnapshotsKept(for_days=1)], "for_days"),
        ([BackedUp(within_minutes=-1)], "within_minutes"),
        ([Survives()], "n_devices"),
        ([Survives(n_devices=9)], "n_devices"),
        ([Labelled(label="night")], "label"),
        ([RIGHT["apart"], Together(label=LABEL, of="array")], "of"),
        ([OvercommitCeiling(ceiling_percent=90)], "ceiling_percent"),
        ([RunwayFloor(least_days=0)], "least_days"),
        ([HasTier(tier="Ebb")], "tier"),
        ([Encrypted(), Encrypted(is_so=False)], ""),
    ],
    ids=lambda one: None if isinstance(one, str) else "+".join(rule.kind for rule in one),
)
def test_what_is_wrong_or_contradicts_itself_is_named(rules, field):
    told = faults_of(Policy(name="wrong", rules=tuple(rules)), known=KNOWN)
    assert [fault.field for fault in told] == [field]
    assert all(fault.why for fault in told)


def test_a_policy_in_order_has_no_fault():
    assert faults_of(Policy(name="right", rules=tuple(RIGHT.values())), known=KNOWN) == []


def test_two_rules_of_a_kind_and_subjects_that_do_not_fit_are_refused():
    told = made(1)
    twice = Policy(name="twice", rules=(Encrypted(), Encrypted(is_so=False)))
    with pytest.raises(RangeError):
        judged(told, promised(told, "disk"), policies=[twice])
    with pytest.raises(ShapeError):
        judged(told, promised(made(1, n_disks=2), "disk"), policies=[])


def test_every_kind_of_rule_is_tried_here():
    assert {rule.kind for rule in ONE_EACH} == set(RULES)


def test_the_worst_of_a_whole_is_told_at_its_place():
    rule = CopyElsewhere(within_minutes=100)
    told = made(5, n_disks=3, n_stores=1, n_volumes=3, share_unknown=0, share_stale=0)
    told = replace(
        told,
        disks=replace(told.disks, store=np.zeros(3, dtype=np.int64)),
        volumes=replace(
            told.volumes, site=np.zeros(3, dtype=np.int64), are_copies_told=np.ones(3, dtype=bool)
        ),
        copies=replace(
            told.copies, volume=np.arange(3), site=np.ones(3, dtype=np.int64),
            copied_at=NOW - np.array([50.0, 900.0, 400.0]),
        ),
        copies_of=grouped(np.arange(3), n=3),
        extents=paired(np.zeros(3, dtype=np.int64), np.arange(3), n=1),
    )  # fmt: skip
    found = rule.found_of(told, kind="disk")
    assert found.states.tolist() == [BROKEN] * 3
    assert found.amounts.tolist() == [900] * 3
    assert found.places.tolist() == [1] * 3
    assert rule.says(Verdict.BROKEN, 900) == "copied 15 h ago"
