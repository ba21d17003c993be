"""How subjects stood on a day that is over, as far as verdicts were kept then."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pyarrow as pa
from django.db.models import QuerySet

from keelmark.compliance.models import VerdictChange, VerdictKept
from keelmark.core.arrays import Bools, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE, Table
from keelmark.core.policy.judging import Verdicts
from keelmark.core.policy.rules import PLACE_OF
from keelmark.core.policy.states import EXEMPT, VERDICTS
from keelmark.readings.columnar import columns_of

_CODES = {one.value: code for code, one in enumerate(VERDICTS)}


def as_it_stood(verdicts: Verdicts, table: Table, *, day: int) -> tuple[Verdicts, Bools]:
    """Return verdicts of a past day with what was kept of it in the place of what is found now.

    Also where that differs, (n, n_rules): what was found there then is not kept. A rule that no
    policy of a subject has now stays exempt, whatever it was.
    """
    end = datetime.combine(EPOCH, datetime.min.time(), tzinfo=UTC) + timedelta(days=day + 1)
    states = verdicts.states.copy()
    # What changed first since that day tells what was before; what did not change is as it is.
    kept = VerdictKept.objects.filter(entity__kind=verdicts.kind, since__lt=end)
    later = VerdictChange.objects.filter(entity__kind=verdicts.kind, at__gte=end)
    first = later.order_by("entity_id", "rule", "at").distinct("entity_id", "rule")
    for query, word in ((kept.order_by(), "state"), (first, "was")):
        rows, rules, codes = _told(query, word, table)
        states[rows, rules] = codes
    states = np.where(verdicts.states == EXEMPT, EXEMPT, states)
    return replace(verdicts, states=states), states != verdicts.states


def _told(
    query: QuerySet[VerdictKept] | QuerySet[VerdictChange], word: str, table: Table
) -> tuple[Int64s, Int64s, Int64s]:
    told = columns_of(
        query.values_list("entity_id", "rule", word),
        types={"subject": pa.int64(), "rule": pa.string(), "state": pa.string()},
    )
    rows = table.rows_of(told.column("subject").to_numpy())
    rules = np.array(
        [PLACE_OF.get(str(one), NOWHERE) for one in told.column("rule").to_pylist()],
        dtype=np.int64,
    )
    codes = np.array([_CODES[str(one)] for one in told.column("state").to_pylist()], dtype=np.int64)
    is_known = (rows != NOWHERE) & (rules != NOWHERE)
    return rows[is_known], rules[is_known], codes[is_known]
