"""Makes the things that a table of *a thing on a day* is about, where nobody has told of them.

A row names a pool with its array, a day and its amounts. The thing is the name within its
array (two arrays may each have a pool of one name); what it is now is what its newest row says.
"""

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.estate.documents import ArrayDocument, PoolDocument, Thing, VolumeDocument
from keelmark.estate.models import Kind
from keelmark.estate.uids import safe_uid
from keelmark.readings.binary import UNKNOWN
from keelmark.readings.rows import DailyRows

NOWHERE = "sent tables"  # the array of pools whose table names none
DIGEST_CHARS = 8
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@dataclass(frozen=True, slots=True, kw_only=True)
class Makes:
    """How things of a kind are made of rows: what they lie in, and their amount of room."""

    within: Kind
    within_field: str  # of the mapping
    size_field: str  # of the document


MAKES: dict[Kind, Makes] = {
    Kind.POOL: Makes(within=Kind.ARRAY, within_field="array_uid", size_field="usable_bytes"),
    Kind.VOLUME: Makes(within=Kind.POOL, within_field="pool_uid", size_field="size_bytes"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Named:
    """A thing as the rows name it."""

    kind: Kind
    name: str
    within: str = ""  # its array's name, or its pool's uid
    site: str = ""
    service_class: str = ""
    home_uid: str = ""  # of its array, where that is told of already

    @property
    def uid(self) -> str:
        """The uid under which it is made, the same at each sending."""
        return f"id.{self.kind}/{_plain(self.within or NOWHERE)}/{_plain(self.name)}"


def documents_for(
    named: Mapping[int, Named], *, rows: DailyRows, now: datetime
) -> dict[int, list[Thing]]:
    """Return the documents that tell of things as their newest rows do, by their number in rows.

    A thing without a size in any row is left out: nothing could be said of it.
    """
    made: dict[int, list[Thing]] = {}
    order = np.lexsort((rows.day, rows.entity_id))
    for number, thing in named.items():
        own: Int64s = order[rows.entity_id[order] == number]
        sized = own[rows.capacity_bytes[own] != UNKNOWN]
        if len(own) == 0 or len(sized) == 0:
            continue
        newest = int(own[-1])
        read_at = min(_end_of(int(rows.day[newest])), now)
        made[number] = _told(
            thing,
            read_at=read_at,
            used_bytes=int(rows.used_bytes[newest]),
            size_bytes=int(rows.capacity_bytes[int(sized[-1])]),
            provisioned_bytes=_known(int(rows.provisioned_bytes[newest])),
        )
    return made


def _told(
    thing: Named,
    *,
    read_at: datetime,
    used_bytes: int,
    size_bytes: int,
    provisioned_bytes: int | None,
) -> list[Thing]:
    if thing.kind == Kind.VOLUME:
        return [
            VolumeDocument(
                uid=thing.uid, name=thing.name, pool_uid=thing.within, size_bytes=size_bytes,
                written_bytes=used_bytes, read_at=read_at,
            )
        ]  # fmt: skip
    home = thing.within or NOWHERE
    own_uid = f"id.array/{_plain(home)}"
    array = ArrayDocument(uid=own_uid, name=home, site=thing.site or None, read_at=read_at)
    pool = PoolDocument(
        uid=thing.uid, name=thing.name, array_uid=thing.home_uid or own_uid,
        usable_bytes=size_bytes, used_bytes=used_bytes, provisioned_bytes=provisioned_bytes,
        service_class=thing.service_class or None, read_at=read_at,
    )  # fmt: skip
    return [pool] if thing.home_uid not in ("", own_uid) else [array, pool]


def _end_of(day: int) -> datetime:
    return _EPOCH + timedelta(days=day + 1, seconds=-1)


def _known(amount: int) -> int | None:
    return None if amount == UNKNOWN else amount


def _plain(text: str) -> str:
    """A text as a uid can hold it; what it cannot hold is told apart by a digest."""
    safe = safe_uid(text)
    if safe == text:
        return safe
    return f"{safe}-{hashlib.sha256(text.encode()).hexdigest()[:DIGEST_CHARS]}"
