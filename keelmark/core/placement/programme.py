"""The limits of a question as the rows of a linear programme."""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array, csr_array

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.question import Question


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Programme:
    """``taken`` @ x ≤ ``rooms`` for the units x of some workloads at some places.

    A row for each workload, for each row of each limit, and for each group in which a workload is
    kept apart. The rows of each limit begin at ``begins``, in shares of ``scales``.
    """

    taken: csr_array
    rooms: Float64s
    begins: tuple[int, ...]
    scales: tuple[Float64s, ...]


def programme_of(question: Question, *, workload: Int64s, place: Int64s) -> Programme:
    """Return the rows of some columns, (n,) each: a workload and a place where it may go."""
    n = len(workload)
    at, rows, amounts = [np.arange(n)], [workload], [np.ones(n)]
    rooms: list[Float64s] = [question.units.astype(np.float64)]
    begin, begins, scales = question.n_workloads, [], []
    for limit in question.limits:
        row = limit.at[place] if limit.at is not None else np.zeros(n, dtype=np.int64)
        if limit.of is not None:
            row = limit.of[workload]
        demand = limit.demand[workload]
        takes = np.flatnonzero((row != NOWHERE) & (demand > 0))
        # Each in shares of its room, so that bytes and ports are of one size.
        scale = np.maximum(np.abs(limit.room), 1.0)
        at.append(takes)
        rows.append(begin + row[takes])
        amounts.append(demand[takes] / scale[row[takes]])
        rooms.append(np.maximum(limit.room, 0) / scale)
        begins.append(begin)
        scales.append(scale)
        begin += len(limit.room)
    for by, groups in enumerate(question.groups):
        takes = np.flatnonzero(question.apart[workload] == by)
        if len(takes) == 0:
            continue
        who = np.column_stack([workload[takes], groups[place[takes]]])
        row = np.unique(who, axis=0, return_inverse=True)[1].ravel()
        at.append(takes)
        rows.append(begin + row)
        amounts.append(np.ones(len(takes)))
        n_rows = int(row.max()) + 1
        rooms.append(np.ones(n_rows))
        begin += n_rows
    taken = coo_array(
        (np.concatenate(amounts), (np.concatenate(rows), np.concatenate(at))), shape=(begin, n)
    )
    return Programme(
        taken=taken.tocsr(), rooms=np.concatenate(rooms), begins=tuple(begins),
        scales=tuple(scales),
    )  # fmt: skip
