"""What the hosts of clusters hold for VMs, with the largest of them lost."""

from collections.abc import Sequence

import numpy as np

from keelmark.core.estate.columns import amounts
from keelmark.core.hosting import HOLDS_NOTHING, VCPUS_A_CORE, held_after_losses
from keelmark.estate.models import Host
from keelmark.forecasts.models import Metric

_FACTORS = {Metric.CPU: VCPUS_A_CORE, Metric.MEMORY: 1}


def held_by_hosts(cluster_ids: Sequence[int]) -> dict[Metric, dict[int, int]]:
    """Return CPUs and bytes of memory that may be promised, by cluster.

    Hosts in maintenance or at fault hold nothing. A cluster is left out where one of its hosts
    did not tell: a sum with an unknown part is unknown.
    """
    rows = list(
        Host.objects.filter(cluster_id__in=cluster_ids, entity__retired_at=None)
        .exclude(state__in=HOLDS_NOTHING)
        .values_list("cluster_id", "n_cpus", "memory_bytes")
    )
    place_of = {pk: place for place, pk in enumerate(cluster_ids)}
    cluster = np.array([place_of[pk] for pk, _, _ in rows if pk is not None], dtype=np.int64)
    held: dict[Metric, dict[int, int]] = {}
    for metric, told in (
        (Metric.CPU, [n_cpus for _, n_cpus, _ in rows]),
        (Metric.MEMORY, [memory_bytes for _, _, memory_bytes in rows]),
    ):
        left = held_after_losses(amounts(told), cluster=cluster, n_clusters=len(cluster_ids))
        held[metric] = {
            pk: int(left[place]) * _FACTORS[metric]
            for pk, place in place_of.items()
            if not np.isnan(left[place])
        }
    return held
