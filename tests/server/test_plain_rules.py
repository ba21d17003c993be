"""Small rules that much stands on, each by itself: versions, names, cells, what may be set."""

import json
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.access.errors import StaleError, VersionWantedError
from keelmark.access.versions import ANY, check_version, version_of, wanted_version
from keelmark.estate.documents.base import UID_FORM
from keelmark.estate.export import FORMULA_STARTS, LINE_STARTS, csv_download, safe_cell
from keelmark.estate.uids import safe_uid
from keelmark.feeds.changes.allowed import (
    CLONES,
    DELETION,
    ENDS,
    LIMITS,
    MIRRORS,
    MOST_CLONES,
    MOST_ENDS,
    MOST_IOPS,
    MOST_MIRRORS,
    MOST_NAME,
    NAME,
    SETTABLE,
    SIZE,
    VOLUME,
    fault_of,
)

values = st.one_of(st.none(), st.booleans(), st.integers(), st.text(max_size=9))
facts = st.dictionaries(st.text(min_size=1, max_size=6), values, max_size=5)


class Asked:
    """A request with its headers."""

    def __init__(self, **headers):
        self.headers = headers


@given(told=facts, name=st.text(min_size=1, max_size=6), value=values)
def test_a_version_is_of_what_is_told_whatever_its_order_and_of_nothing_else(told, name, value):
    backwards = dict(reversed(list(told.items())))
    assert version_of(backwards) == version_of(told)
    other = {**told, name: value}
    same = json.dumps(other, sort_keys=True) == json.dumps(told, sort_keys=True)
    assert (version_of(other) == version_of(told)) == same


@given(told=facts)
def test_a_write_on_what_was_seen_goes_through_and_on_anything_else_does_not(told):
    seen = version_of(told)
    for wanted in (seen, ANY, None):
        check_version(wanted, facts=told)
    with pytest.raises(StaleError) as refused:
        check_version(seen, facts={**told, "one more": 1})
    assert refused.value.stands["one more"] == 1


@pytest.mark.parametrize("told", ['"abc"', 'W/"abc"', "abc", ' "abc" '])
def test_a_version_is_read_as_it_may_be_written(told):
    assert wanted_version(Asked(**{"If-Match": told})) == "abc"


@pytest.mark.parametrize("headers", [{}, {"If-Match": ""}, {"If-Match": "  "}])
def test_a_write_without_a_version_is_asked_for_one(headers):
    with pytest.raises(VersionWantedError):
        wanted_version(Asked(**headers))


@given(text=st.text(max_size=60))
def test_whatever_a_far_end_calls_it_a_uid_holds_it(text):
    told = safe_uid(text)
    assert len(told) == len(text)
    assert safe_uid(told) == told
    if told:
        assert re.fullmatch(UID_FORM, f"path.{told}")


@given(text=st.text(max_size=30), start=st.sampled_from([*FORMULA_STARTS, *LINE_STARTS, "", " ="]))
def test_no_cell_is_run_by_a_sheet_and_none_loses_a_character(text, start):
    told = safe_cell(start + text)
    assert isinstance(told, str)
    assert not told.startswith((*FORMULA_STARTS, *LINE_STARTS))
    assert not told.lstrip().startswith(FORMULA_STARTS)
    assert told in (start + text, f"'{start}{text}")


@pytest.mark.parametrize("amount", [0, -5, 2**63 - 1, 1.5, None, True])
def test_amounts_in_cells_stay_amounts(amount):
    assert safe_cell(amount) is amount


def test_a_download_has_its_head_its_rows_and_its_name():
    told = csv_download(("a", "b"), [("=1", 2), ('x"y', None)], filename="some.csv")
    assert told.content.decode().splitlines() == ["a,b", "'=1,2", '"x""y",']
    assert told["Content-Disposition"] == 'attachment; filename="some.csv"'


GOOD = {
    LIMITS: {"min_iops": 0, "max_iops": 1},
    VOLUME: {"name": "v1", "size_bytes": 1, "thickness": "thick"},
    SIZE: {"size_bytes": 2**63 - 1},
    NAME: {"name": "n" * MOST_NAME},
    ENDS: {"ends": []},
    MIRRORS: {"targets": ["naa.1"]},
    DELETION: {},
    CLONES: {"names": ["a", "b"]},
}


@pytest.mark.parametrize("what", SETTABLE)
def test_what_may_be_set_is_set_with_exactly_its_fields(what):
    assert set(GOOD) == set(SETTABLE)
    assert fault_of(what, GOOD[what]) == ""
    assert fault_of(what, {**GOOD[what], "more": 1}).startswith("Give ")
    for name in GOOD[what]:
        less = {key: value for key, value in GOOD[what].items() if key != name}
        assert fault_of(what, less).startswith("Give ")


@pytest.mark.parametrize(
    ("what", "told"),
    [
        (LIMITS, {"min_iops": -1}), (LIMITS, {"min_iops": 2}), (LIMITS, {"max_iops": 0}),
        (LIMITS, {"max_iops": MOST_IOPS + 1}), (LIMITS, {"max_iops": True}),
        (LIMITS, {"max_iops": "1"}),
        (VOLUME, {"thickness": "thinnish"}), (VOLUME, {"name": ""}), (VOLUME, {"size_bytes": 0}),
        (SIZE, {"size_bytes": 2**63}), (SIZE, {"size_bytes": 1.5}), (SIZE, {"size_bytes": None}),
        (NAME, {"name": "n" * (MOST_NAME + 1)}), (NAME, {"name": "a\nb"}), (NAME, {"name": 3}),
        (ENDS, {"ends": ["a", "a"]}), (ENDS, {"ends": [""]}), (ENDS, {"ends": "a"}),
        (ENDS, {"ends": [str(n) for n in range(MOST_ENDS + 1)]}),
        (MIRRORS, {"targets": ["a", "a"]}), (MIRRORS, {"targets": [None]}),
        (MIRRORS, {"targets": [str(n) for n in range(MOST_MIRRORS + 1)]}),
        (CLONES, {"names": []}), (CLONES, {"names": ["a", "a"]}), (CLONES, {"names": [""]}),
        (CLONES, {"names": [str(n) for n in range(MOST_CLONES + 1)]}),
    ],
)  # fmt: skip
def test_what_cannot_be_set_says_why(what, told):
    assert fault_of(what, {**GOOD[what], **told}) != ""


def test_nothing_else_is_ever_set():
    assert fault_of("firmware", {}) == "firmware cannot be set from here."
