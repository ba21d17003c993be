"""What the hosts of clusters hold for VMs, with the largest of them lost."""

from collections import defaultdict
from collections.abc import Sequence

from keelmark.estate.models import Host
from keelmark.forecasts.models import Metric

VCPUS_A_CORE = 4  # what is promised of a core before VMs wait for one another
_COLUMNS = (Metric.CPU, Metric.MEMORY)
_FACTORS = {Metric.CPU: VCPUS_A_CORE, Metric.MEMORY: 1}


def held_by_hosts(cluster_ids: Sequence[int]) -> dict[Metric, dict[int, int]]:
    """Return CPUs and bytes of memory that may be promised, by cluster.

    Hosts in maintenance or at fault hold nothing. A cluster is left out where one of its hosts
    did not tell: a sum with an unknown part is unknown.
    """
    rows = (
        Host.objects.filter(cluster_id__in=cluster_ids, entity__retired_at=None)
        .exclude(state__in=["maintenance", "faulted"])
        .values_list("cluster_id", "n_cpus", "memory_bytes")
    )
    told: dict[int, list[tuple[int | None, int | None]]] = defaultdict(list)
    for cluster_id, n_cpus, memory_bytes in rows:
        if cluster_id is not None:
            told[cluster_id].append((n_cpus, memory_bytes))
    held: dict[Metric, dict[int, int]] = {metric: {} for metric in _COLUMNS}
    for cluster_id, hosts in told.items():
        for metric, column in zip(_COLUMNS, zip(*hosts, strict=True), strict=True):
            known = [amount for amount in column if amount is not None]
            if len(known) == len(column):
                held[metric][cluster_id] = (sum(known) - max(known)) * _FACTORS[metric]
    return held
