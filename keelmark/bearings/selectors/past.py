"""What was read by a day that is over, packed the first time it is looked at."""

from datetime import date, datetime, timedelta
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from django.db.models import Max

from keelmark.access.clock import now
from keelmark.bearings.models import PackedDay
from keelmark.bearings.packs.packing import packed, unpacked
from keelmark.core.arrays import Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE, Amounts
from keelmark.core.estate.estate import READ_KINDS, Estate, Past, PastAmounts
from keelmark.readings.columnar import Told, Types, columns_of
from keelmark.readings.models import DailyReading, PastTold

STANDS_DAYS = 7  # a reading stands for so many days after its own; then nobody read it
SETTLED_DAYS = 2  # a day so long over is kept packed: until then feeds may be late
_TYPES: Types = {
    "entity_id": pa.int64(),
    "used": pa.int64(),
    "size": pa.int64(),
    "promised": pa.int64(),
    "store": pa.int64(),
}
_PATHS = ("entity_id", "used_bytes", "capacity_bytes", "provisioned_bytes", "datastore_id")


def past_of(estate: Estate, *, day: int) -> Past:
    """Return what was read by a day before the estate's, along its tables."""
    on = EPOCH + timedelta(days=day)
    told = _packed(on) if estate.day - day >= SETTLED_DAYS else _read(on)
    ids = told["entity_id"].to_numpy()
    columns = {name: _amounts(told[name]) for name in ("used", "size", "promised", "store")}
    amounts = {}
    for kind in READ_KINDS:
        table = estate.table(kind)
        at = _rows(table.ids, among=ids)
        stores = _taken(columns["store"], at=at)
        amounts[kind] = PastAmounts(
            **{name: _taken(columns[name], at=at) for name in ("used", "size", "promised")},
            store=np.where(
                stores.is_known,
                estate.table("datastore").rows_of(stores.values),
                NOWHERE,
            )
            if kind == "disk"
            else None,
        )
    return Past(day=day, amounts=amounts)


def _packed(on: date) -> pa.Table:
    told_at = past_told_at()
    kept = PackedDay.objects.filter(day=on).first()
    # Days told or corrected since may be this one: whatever was told meanwhile, it is made anew.
    if kept is not None and kept.past_told_at == told_at:
        return unpacked(kept.content)
    told = _read(on)
    made = {"content": packed(told), "made_at": now(), "past_told_at": told_at}
    PackedDay.objects.update_or_create(day=on, defaults=made)
    return told


def past_told_at() -> datetime | None:
    """Return when any day that is over was last told or corrected."""
    told: datetime | None = PastTold.objects.aggregate(at=Max("told_at"))["at"]
    return told


def _read(on: date) -> pa.Table:
    """The last reading of each thing of the days that still stand on this one."""
    found = (
        DailyReading.objects.filter(day__gt=on - timedelta(days=STANDS_DAYS), day__lte=on)
        .order_by("entity_id", "-day")
        .distinct("entity_id")
        .values_list(*_PATHS)
    )
    return columns_of(found, types=_TYPES)


def _amounts(told: Told) -> Amounts:
    whole: Any = told.combine_chunks()  # Any: the stubs are of no use here
    filled = pc.fill_null(whole, 0)
    return Amounts(
        values=filled.to_numpy(zero_copy_only=False),
        is_known=pc.is_valid(whole).to_numpy(zero_copy_only=False),
    )


def _rows(ids: Int64s, *, among: Int64s) -> Int64s:
    if len(among) == 0:
        return np.full(len(ids), NOWHERE, dtype=np.int64)
    at = np.minimum(np.searchsorted(among, ids), len(among) - 1)
    return np.where(among[at] == ids, at, NOWHERE).astype(np.int64)


def _taken(one: Amounts, *, at: Int64s) -> Amounts:
    if len(one) == 0:
        return Amounts(values=np.zeros(len(at), np.int64), is_known=np.zeros(len(at), np.bool_))
    is_met = at != NOWHERE
    return Amounts(values=np.where(is_met, one.values[at], 0), is_known=is_met & one.is_known[at])
