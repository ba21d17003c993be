"""Keeps the last samples of counters and makes five-minute means of two of them."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from django.db import connection, transaction

from keelmark.core.arrays import Float64s
from keelmark.core.rates import Counters, Rates, first_samples, rates
from keelmark.estate.documents import CountersDocument
from keelmark.readings import sql
from keelmark.readings.rows import MEANS, StepRows, microseconds
from keelmark.readings.services import write_steps

OF_COLUMN = {
    "read_ops": "read_iops",
    "write_ops": "write_iops",
    "read_bytes": "read_bytes_per_second",
    "write_bytes": "write_bytes_per_second",
    "busy_seconds": "busy_share",
    "array_seconds": "array_share",
    "network_seconds": "network_share",
    "queue_seconds": "queue_share",
    "qos_seconds": "qos_share",
    "read_seconds": "read_share",
    "write_seconds": "write_share",
}
WAITS = {
    "busy_share": "latency_ms",
    "array_share": "array_latency_ms",
    "network_share": "network_latency_ms",
    "queue_share": "queue_latency_ms",
    "qos_share": "qos_latency_ms",
    "read_share": "read_latency_ms",
    "write_share": "write_latency_ms",
}
OF_WAIT = {"read_share": ("read_iops",), "write_share": ("write_iops",)}
BOTH = ("read_iops", "write_iops")
MS = 1000.0
Sample = tuple[int, str, int, float]  # entity, column, µs, value


@dataclass(frozen=True, slots=True, kw_only=True)
class Counted:
    """What taking counters did."""

    n_steps: int
    n_resets: int


@transaction.atomic
def take_counters(
    documents: Sequence[CountersDocument], *, ids: dict[str, int], source_id: int
) -> Counted:
    """Write the means that the samples complete, and keep the samples."""
    samples: list[Sample] = [
        (ids[d.uid], name, microseconds(d.read_at), float(value))
        for d in sorted(documents, key=lambda d: d.read_at)
        for name in OF_COLUMN
        if (value := getattr(d, name)) is not None
    ]
    n_steps = n_resets = 0
    for round_of in _rounds(samples):
        told, made = _made(round_of, source_id=source_id)
        n_steps += write_steps(told)
        n_resets += made
    return Counted(n_steps=n_steps, n_resets=n_resets)


def _rounds(samples: list[Sample]) -> list[list[Sample]]:
    """One sample a counter at a time: later ones build on the ones before."""
    rounds: list[list[Sample]] = []
    seen: dict[tuple[int, str], int] = {}
    for sample in samples:
        turn = seen.get(sample[:2], 0)
        seen[sample[:2]] = turn + 1
        if turn == len(rounds):
            rounds.append([])
        rounds[turn].append(sample)
    return rounds


def _made(samples: list[Sample], *, source_id: int) -> tuple[StepRows, int]:
    entity = np.array([s[0] for s in samples], dtype=np.int64)
    columns = [s[1] for s in samples]
    at_us = np.array([s[2] for s in samples], dtype=np.int64)
    value = np.array([s[3] for s in samples])
    before, is_known = _before(entity.tolist(), columns, source_id=source_id)
    fresh = first_samples(at_us=at_us, value=value)
    merged = Counters(
        at_us=np.where(is_known, before.at_us, fresh.at_us),
        value=np.where(is_known, before.value, fresh.value),
        boundary_value=np.where(is_known, before.boundary_value, fresh.boundary_value),
    )
    made = rates(merged, at_us=at_us, value=value)
    with connection.cursor() as cursor:
        cursor.execute(
            sql.WRITE_COUNTERS,
            {
                "source_id": source_id,
                "entity_ids": entity.tolist(),
                "columns": columns,
                "at_us": made.after.at_us.tolist(),
                "values": made.after.value.tolist(),
                "boundary_values": made.after.boundary_value.tolist(),
            },
        )
    return _step_rows(made, entity=entity.tolist(), columns=columns), made.n_resets


def _before(
    entity: list[int], columns: list[str], *, source_id: int
) -> tuple[Counters, np.ndarray]:
    with connection.cursor() as cursor:
        cursor.execute(sql.READ_COUNTERS, [source_id, sorted(set(entity))])
        known = {(row[0], row[1]): row[2:] for row in cursor.fetchall()}
    rows = [known.get(key) for key in zip(entity, columns, strict=True)]
    counters = Counters(
        at_us=np.array([0 if r is None else r[0] for r in rows], dtype=np.int64),
        value=np.array([0.0 if r is None else r[1] for r in rows]),
        boundary_value=np.array([np.nan if r is None else r[2] for r in rows], dtype=np.float64),
    )
    return counters, np.array([r is not None for r in rows], dtype=np.bool_)


def _step_rows(made: Rates, *, entity: list[int], columns: list[str]) -> StepRows:
    """Means of one object and step side by side, with latency = busy time / operations."""
    keys: dict[tuple[int, int], dict[str, float]] = {}
    for series, at_us, mean in zip(
        made.series.tolist(), made.at_us.tolist(), made.per_second.tolist(), strict=True
    ):
        keys.setdefault((entity[series], at_us), {})[OF_COLUMN[columns[series]]] = mean
    means: Float64s = np.full((len(MEANS), len(keys)), np.nan)
    for at, told in enumerate(keys.values()):
        for name, mean in told.items():
            if name in MEANS:
                means[MEANS.index(name), at] = mean
        for share, wait in WAITS.items():
            n_ops = sum(told.get(name, 0.0) for name in OF_WAIT.get(share, BOTH))
            if share in told and n_ops > 0:
                means[MEANS.index(wait), at] = told[share] / n_ops * MS
    return StepRows(
        entity_id=np.array([key[0] for key in keys], dtype=np.int64),
        at_us=np.array([key[1] for key in keys], dtype=np.int64),
        means=means,
    )
