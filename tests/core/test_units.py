import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import QuantityError, RangeError
from keelmark.core.units import (
    MAX_BYTES,
    UnitSystem,
    checked_bytes,
    format_bytes,
    parse_bytes,
    percent_of,
)


@pytest.mark.parametrize(
    ("text", "n_bytes"),
    [
        ("4096", 4096),
        ("1 B", 1),
        ("1.5 TiB", 1_649_267_441_664),
        ("20GB", 20_000_000_000),
        ("0.5 kib", 512),
        ("8191.5 PiB", 9_222_809_086_901_354_496),
    ],
)
def test_parse_bytes_is_exact(text, n_bytes):
    assert parse_bytes(text) == n_bytes


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "number and a unit"),
        ("-1 GiB", "negative"),
        ("3 parsecs", "unknown unit"),
        ("0.3 B", "whole number"),
        ("9 EiB", "more than 8 EiB"),
        ("1.2.3 TiB", "number and a unit"),
    ],
)
def test_parse_bytes_refuses_and_says_why(text, why):
    with pytest.raises(QuantityError, match=why):
        parse_bytes(text)


@pytest.mark.parametrize(
    ("n_bytes", "system", "shown"),
    [
        (0, UnitSystem.IEC, "0 B"),
        (1023, UnitSystem.IEC, "1023 B"),
        (79_495_440_662_528, UnitSystem.IEC, "72.3 TiB"),
        (7_680_000_000_000, UnitSystem.SI, "7.68 TB"),
        (-2048, UnitSystem.IEC, "−2.00 KiB"),
        (1000 * 1024**4, UnitSystem.IEC, "1000 TiB"),
    ],
)
def test_format_bytes_keeps_three_digits_and_no_fewer(n_bytes, system, shown):
    assert format_bytes(n_bytes, system=system) == shown


@given(st.integers(0, MAX_BYTES))
def test_plain_bytes_survive_a_round_trip(n_bytes):
    assert parse_bytes(f"{n_bytes} B") == n_bytes


@given(st.integers(0, 8000), st.sampled_from(["KiB", "MiB", "GiB", "TiB", "PB", "TB", "kB"]))
def test_whole_units_survive_a_round_trip(count, unit):
    n_bytes = parse_bytes(f"{count} {unit}")
    system = UnitSystem.IEC if "i" in unit else UnitSystem.SI
    again = parse_bytes(format_bytes(n_bytes, system=system, digits=12))
    assert again == n_bytes


@given(st.integers(0, MAX_BYTES), st.integers(0, 100))
def test_percent_of_equals_unbounded_arithmetic(n_bytes, percent):
    assert percent_of(n_bytes, percent) == n_bytes * percent // 100
    vector = percent_of(np.array([n_bytes], dtype=np.int64), percent)
    assert vector[0] == n_bytes * percent // 100


@pytest.mark.parametrize("n_bytes", [-1, 2**63])
def test_checked_bytes_names_the_argument(n_bytes):
    with pytest.raises(RangeError, match="used_bytes"):
        checked_bytes(n_bytes, argument="used_bytes")
