"""Bytes in and out of text, and percentages that stay exact."""

import re
from decimal import Decimal
from enum import StrEnum
from typing import overload

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.core.errors import QuantityError, RangeError

MAX_BYTES = 2**63 - 1  # what a bigint column and int64 hold
PERCENT = 100

KIB, MIB, GIB, TIB, PIB, EIB = (1024**power for power in range(1, 7))
KB, MB, GB, TB, PB, EB = (1000**power for power in range(1, 7))

_IEC = {"B": 1, "KiB": KIB, "MiB": MIB, "GiB": GIB, "TiB": TIB, "PiB": PIB, "EiB": EIB}
_SI = {"B": 1, "kB": KB, "MB": MB, "GB": GB, "TB": TB, "PB": PB, "EB": EB}
_BY_LOWER_NAME = {name.lower(): factor for name, factor in {**_SI, **_IEC}.items()}
_QUANTITY = re.compile(r"^\s*([+-]?)(\d+(?:[._]\d+)*|\d*\.\d+)\s*([A-Za-z]*)\s*$")


class UnitSystem(StrEnum):
    """Whether a thousand is 1024 (IEC: KiB, TiB) or 1000 (SI: kB, TB)."""

    IEC = "iec"
    SI = "si"


def parse_bytes(text: str) -> int:
    """Return the exact bytes of a text such as ``1.5 TiB``, ``20GB`` or ``4096``.

    Parameters
    ----------
    text : str
        A number, then an IEC or SI unit in any case; none means bytes.

    Returns
    -------
    int
        Bytes, 0 ≤ bytes ≤ 2**63 − 1.

    Raises
    ------
    QuantityError
        If it is no number, is negative, has an unknown unit, is not a whole number of
        bytes, or does not fit 64 bits.
    """
    match = _QUANTITY.match(text)
    if match is None:
        raise QuantityError(text=text, why="want a number and a unit, such as 1.5 TiB")
    sign, number, unit = match.groups()
    if sign == "-":
        raise QuantityError(text=text, why="it is negative")
    factor = _BY_LOWER_NAME.get(unit.lower() or "b")
    if factor is None:
        raise QuantityError(text=text, why=f"unknown unit {unit}; use B, kB … EB or KiB … EiB")
    try:
        exact = Decimal(number.replace("_", "")) * factor
    except ArithmeticError as exc:
        raise QuantityError(text=text, why="want a number and a unit, such as 1.5 TiB") from exc
    if exact > MAX_BYTES:
        raise QuantityError(text=text, why="it is more than 8 EiB")
    if exact != int(exact):
        raise QuantityError(text=text, why="it is not a whole number of bytes")
    return int(exact)


def format_bytes(n_bytes: int, *, system: UnitSystem = UnitSystem.IEC, digits: int = 3) -> str:
    """Return bytes in the largest unit that leaves at least one whole unit.

    Parameters
    ----------
    n_bytes : int
        Bytes; may be negative (a shortfall).
    system : UnitSystem
        IEC or SI units.
    digits : int
        Significant digits at least; whole numbers are never cut.

    Returns
    -------
    str
        Such as ``72.3 TiB``, or ``–512 B`` with a true minus sign.
    """
    sign, magnitude = ("−", -n_bytes) if n_bytes < 0 else ("", n_bytes)
    units = list((_IEC if system is UnitSystem.IEC else _SI).items())
    name, factor = next((u for u in reversed(units) if magnitude >= u[1]), units[0])
    if factor == 1:
        return f"{sign}{magnitude} B"
    amount = Decimal(magnitude) / factor
    places = max(0, digits - len(str(int(amount))))
    return f"{sign}{amount:.{places}f} {name}"


@overload
def percent_of(n_bytes: int, percent: int) -> int: ...
@overload
def percent_of(n_bytes: Int64s, percent: int | Int64s) -> Int64s: ...
def percent_of(n_bytes: int | Int64s, percent: int | Int64s) -> int | Int64s:
    """Return the floor of a whole percentage of bytes without leaving int64.

    Parameters
    ----------
    n_bytes : int or (n,) int64
        Bytes, not negative.
    percent : int or (n,) int64
        Whole percent, not negative.

    Returns
    -------
    int or (n,) int64
        ``floor(n_bytes × percent / 100)``.

    Raises
    ------
    RangeError
        If an array's result is above 2**63 − 1; a single number has no such bound.

    Notes
    -----
    ``n_bytes * percent`` wraps from 102 PB at 90 %; dividing first keeps every step small.
    """
    if isinstance(n_bytes, np.ndarray) or isinstance(percent, np.ndarray):
        about = np.asarray(n_bytes, dtype=np.float64) * percent / PERCENT
        if (about >= float(2**63) * (1 - 1e-12)).any():
            raise RangeError(
                argument="percent_of", found=f"about {about.max():.3g}", wanted="under 2^63 bytes"
            )
    whole, rest = (
        np.divmod(n_bytes, PERCENT) if isinstance(n_bytes, np.ndarray) else divmod(n_bytes, PERCENT)
    )
    return whole * percent + rest * percent // PERCENT  # type: ignore[return-value,operator,unused-ignore]  # numpy stubs lose the overload


def checked_bytes(n_bytes: int, *, argument: str) -> int:
    """Return ``n_bytes`` if it is a possible amount of bytes.

    Parameters
    ----------
    n_bytes : int
        Bytes.
    argument : str
        Name for the error.

    Returns
    -------
    int
        The same bytes.

    Raises
    ------
    RangeError
        If negative or above 2**63 − 1.
    """
    if not 0 <= n_bytes <= MAX_BYTES:
        raise RangeError(argument=argument, found=n_bytes, wanted="0 to 2^63 − 1 bytes")
    return n_bytes
