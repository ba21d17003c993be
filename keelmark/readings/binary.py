"""PostgreSQL's binary COPY format straight from arrays, so that no row passes through Python."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Int64s

HEADER = b"PGCOPY\n\xff\r\n\x00" + bytes(8)
TRAILER = b"\xff\xff"
POSTGRES_EPOCH_DAY = 10_957  # 2000-01-01 in days since 1970-01-01
POSTGRES_EPOCH_MICROSECOND = POSTGRES_EPOCH_DAY * 86_400_000_000
N_FIELDS = 6
NULL_LENGTH = -1


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class DailyRows:
    """Rows of daily readings, every array (n_rows,) int64; days and µs count from 1970.

    Amounts of −1 in ``provisioned_bytes`` and ``capacity_bytes`` are nulls on the wire only:
    ``is_provisioned_known`` and ``is_capacity_known`` say which amounts count.
    """

    entity_id: Int64s
    day: Int64s
    used_bytes: Int64s
    provisioned_bytes: Int64s
    is_provisioned_known: Bools
    capacity_bytes: Int64s
    is_capacity_known: Bools
    read_at_us: Int64s

    def __len__(self) -> int:
        """Return the number of rows."""
        return len(self.entity_id)

    def taken(self, rows: Int64s | Bools) -> "DailyRows":
        """Return the chosen rows."""
        return DailyRows(**{name: getattr(self, name)[rows] for name in self.__slots__})


def copy_payload(rows: DailyRows) -> bytes:
    """Return the rows as one binary COPY stream."""
    parts = [HEADER]
    for has_provisioned in (True, False):
        for has_capacity in (True, False):
            chosen = (rows.is_provisioned_known == has_provisioned) & (
                rows.is_capacity_known == has_capacity
            )
            if chosen.any():
                parts.append(
                    _records(
                        rows.taken(chosen),
                        has_provisioned=has_provisioned,
                        has_capacity=has_capacity,
                    )
                )
    parts.append(TRAILER)
    return b"".join(parts)


def _records(rows: DailyRows, *, has_provisioned: bool, has_capacity: bool) -> bytes:
    """One fixed layout: each field is its length, then its bytes, all big-endian."""
    fields: list[tuple[str, Int64s | None, str]] = [
        ("entity_id", rows.entity_id, ">i8"),
        ("day", rows.day - POSTGRES_EPOCH_DAY, ">i4"),
        ("used", rows.used_bytes, ">i8"),
        ("provisioned", rows.provisioned_bytes if has_provisioned else None, ">i8"),
        ("capacity", rows.capacity_bytes if has_capacity else None, ">i8"),
        ("read_at", rows.read_at_us - POSTGRES_EPOCH_MICROSECOND, ">i8"),
    ]
    layout = [("n_fields", ">i2")]
    for name, amounts, kind in fields:
        layout.append((f"{name}_length", ">i4"))
        if amounts is not None:
            layout.append((name, kind))
    records = np.empty(len(rows), dtype=np.dtype(layout))
    records["n_fields"] = N_FIELDS
    for name, amounts, kind in fields:
        if amounts is None:
            records[f"{name}_length"] = NULL_LENGTH
        else:
            records[f"{name}_length"] = np.dtype(kind).itemsize
            records[name] = amounts
    return records.tobytes()
