"""Writes the history of the estate as an estate file (NDJSON)."""

import json
from collections.abc import Iterable, Iterator
from datetime import UTC, date, datetime, time, timedelta
from itertools import chain
from pathlib import Path
from typing import Any

import numpy as np

from standins.arrays import DRIVE_BYTES, HISTORY_DAYS, Array, Pool, Volume, drives_of
from standins.compute import Datastore
from standins.estate import Estate
from standins.holding import held_on
from standins.measures import measures

Document = dict[str, Any]  # one line of the file; its schema is published with the product


def write_history(estate: Estate, *, path: Path, until: date) -> int:
    """Write inventory and daily readings up to a day; return the number of lines."""
    return _write(history(estate, until=until), path=path)


def write_measures(estate: Estate, *, path: Path, until: date) -> int:
    """Write what was measured up to a day, most of it of things that feeds tell of later."""
    last_day = HISTORY_DAYS + (until - estate.anchor_on).days
    header = {"doc": "header", "format": "keelmark-estate", "version": 1, "source": "history"}
    return _write(chain([header], measures(estate, last_day=last_day)), path=path)


def _write(documents: Iterable[Document], *, path: Path) -> int:
    n_lines = 0
    with path.open("w", encoding="utf-8") as file:
        for document in documents:
            file.write(json.dumps(document, separators=(",", ":")) + "\n")
            n_lines += 1
    return n_lines


def history(estate: Estate, *, until: date) -> Iterator[Document]:
    """Yield the lines: a header, then each array with its pools, volumes, drives, readings."""
    yield {"doc": "header", "format": "keelmark-estate", "version": 0, "source": "history"}
    for array in estate.arrays:
        last_day = HISTORY_DAYS + (until - estate.anchor_on).days + 1
        last_day -= array.story.history_ends_days_back
        read_at = datetime.combine(estate.on(last_day), time(23, 59, 59), tzinfo=UTC)
        yield {
            "doc": "array",
            "uid": f"serial.{array.serial}",
            "name": array.name,
            "site": array.story.site,
            "model": "Shore",
            "read_at": read_at.isoformat(),
        }
        for pool in array.pools:
            yield from _pool_lines(
                estate, array=array, pool=pool, last_day=last_day, read_at=read_at
            )
        yield from _drives(array, read_at=read_at)
    last_day = HISTORY_DAYS + (until - estate.anchor_on).days + 1
    for cluster in estate.clusters:
        for store in cluster.datastores:
            yield from _store_lines(estate, store=store, last_day=last_day)


def _drives(array: Array, *, read_at: datetime) -> Iterator[Document]:
    for number, role, pool in drives_of(array):
        document = {
            "doc": "drive",
            "uid": f"serial.{array.serial}-D{number:04d}",
            "array_uid": f"serial.{array.serial}",
            "name": f"drive-{number:04d}",
            "capacity_bytes": DRIVE_BYTES,
            "media": "ssd",
            "role": role,
            "read_at": read_at.isoformat(),
        }
        if pool is not None:
            document["pool_uid"] = f"uuid.{pool.uuid}"
        yield document


def _pool_lines(
    estate: Estate, *, array: Array, pool: Pool, last_day: int, read_at: datetime
) -> Iterator[Document]:
    pool_uid = f"uuid.{pool.uuid}"
    yield {
        "doc": "pool",
        "uid": pool_uid,
        "array_uid": f"serial.{array.serial}",
        "name": pool.name,
        "service_class": pool.story.service_class,
        "usable_bytes": pool.usable_on(last_day),
        "used_bytes": sum(int(volume.curve_bytes[last_day]) for volume in pool.volumes),
        "provisioned_bytes": pool.provisioned_bytes,
        "read_at": read_at.isoformat(),
    }
    for volume in pool.volumes:
        yield {
            "doc": "volume",
            "uid": f"naa.{volume.naa}",
            "pool_uid": pool_uid,
            "name": volume.name,
            "size_bytes": volume.size_bytes,
            "written_bytes": int(volume.curve_bytes[last_day]),
            "provisioning": "thin" if volume.is_thin else "thick",
            "is_mapped": volume.is_mapped,
            "read_at": read_at.isoformat(),
        }
    days = range(pool.first_day, last_day + 1)
    used = np.sum([volume.curve_bytes for volume in pool.volumes], axis=0) * pool.odd_factor
    yield {
        "doc": "readings",
        "uid": pool_uid,
        "first_on": estate.on(pool.first_day).isoformat(),
        "used_bytes": [int(used[d]) if pool.is_read[d] else None for d in days],
        "provisioned_bytes": [pool.provisioned_bytes if pool.is_read[d] else None for d in days],
        "capacity_bytes": [pool.usable_on(d) if pool.is_read[d] else None for d in days],
    }
    for volume in pool.volumes:
        yield _volume_readings(estate, pool=pool, volume=volume, days=days)


def _store_lines(estate: Estate, *, store: Datastore, last_day: int) -> Iterator[Document]:
    """A datastore with the days of its volume; its cluster tells the rest."""
    last_day -= store.array.story.history_ends_days_back
    held = {
        day: held_on(store, day=day)
        for day in range(store.pool.first_day, last_day + 1)
        if store.pool.is_read[day]
    }
    read_at = datetime.combine(estate.on(last_day), time(23, 59, 59), tzinfo=UTC)
    yield {
        "doc": "datastore",
        "uid": f"uuid.{store.uuid}",
        "name": store.name,
        "kind": "nfs" if store.is_nfs else "block",
        "size_bytes": store.volume.size_bytes,
        "used_bytes": held_on(store, day=last_day),
        "read_at": read_at.isoformat(),
    }
    yield {
        "doc": "readings",
        "uid": f"uuid.{store.uuid}",
        "first_on": estate.on(store.pool.first_day).isoformat(),
        "used_bytes": [held.get(day) for day in range(store.pool.first_day, last_day + 1)],
        "capacity_bytes": [
            store.volume.size_bytes if day in held else None
            for day in range(store.pool.first_day, last_day + 1)
        ],
    }


def _volume_readings(estate: Estate, *, pool: Pool, volume: Volume, days: range) -> Document:
    read = [d if pool.is_read[d] else None for d in days]
    return {
        "doc": "readings",
        "uid": f"naa.{volume.naa}",
        "first_on": (estate.anchor_on + timedelta(days=days[0] - HISTORY_DAYS)).isoformat(),
        "used_bytes": [None if d is None else int(volume.curve_bytes[d]) for d in read],
        "provisioned_bytes": [None if d is None else volume.size_bytes for d in read],
        "capacity_bytes": [None if d is None else volume.size_bytes for d in read],
    }
