"""Which datastores serve a cluster: its own, and those that all of its hosts see."""

from django.db.models import Count, Q

from keelmark.estate.models import Host, Sight


def serves(cluster_id: int) -> Q:
    """Return the condition on datastores, as :func:`keelmark.core.estate.serving.served` has it."""
    hosts = Host.objects.filter(cluster=cluster_id, entity__retired_at=None)
    seeing = Sight.objects.filter(target__in=hosts.values("pk")).values("datastore")
    all_see = seeing.annotate(n=Count("target", distinct=True)).filter(n=hosts.count())
    return Q(cluster=cluster_id) | Q(pk__in=all_see.values("datastore"))
