"""Which clusters a datastore serves, told of one as of all, and what a mount makes of it."""

from dataclasses import replace
from itertools import combinations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.berths import ReferenceVm
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import read
from keelmark.core.estate.serving import served
from keelmark.core.hosting import VCPUS_A_CORE
from keelmark.core.placement.berths import berths_at, berths_together
from keelmark.core.placement.of_estate import Beside, ground_of
from keelmark.core.scenario.compiling import compiled
from keelmark.core.scenario.sight import At
from keelmark.core.scenario.stage import Stage
from tests.core.estates import TODAY, make_estate
from tests.core.layered import ESTATE, LATER, after, dated, reading

CLUSTERS, HOSTS, STORES = range(1, 4), range(10, 16), range(30, 33)
of_somebody = st.sampled_from([*CLUSTERS, None])


@given(
    of_hosts=st.lists(st.tuples(of_somebody, st.booleans()), max_size=len(HOSTS)),
    of_stores=st.lists(of_somebody, max_size=len(STORES)),
    pairs=st.lists(st.tuples(st.sampled_from(STORES), st.sampled_from(HOSTS)), max_size=20),
)
def test_a_datastore_serves_its_own_cluster_and_those_whose_hosts_all_see_it(
    of_hosts, of_stores, pairs
):
    hosts = [(pk, of, gone) for pk, (of, gone) in zip(HOSTS, of_hosts, strict=False)]
    estate = make_estate(
        pairs={"seen_by": pairs}, cluster=[{"id": pk} for pk in CLUSTERS],
        host=[{"id": pk, "cluster": of, "retired": TODAY - 3 if gone else None}
              for pk, of, gone in hosts],
        datastore=[{"id": pk, "cluster": of}
                   for pk, of in zip(STORES, of_stores, strict=False)],
    )  # fmt: skip
    wanted = set()
    for at, own in enumerate(of_stores):
        seeing = {host for store, host in pairs if store == STORES[at]}
        for row, cluster in enumerate(CLUSTERS):
            its = {pk for pk, of, gone in hosts if of == cluster and not gone}
            if own == cluster or (its and its <= seeing):
                wanted.add((at, row))
    of_all = [*zip(*(one.tolist() for one in served(read(estate, day=TODAY))), strict=True)]
    assert of_all == sorted(wanted)
    stage = Stage(estate, births={}, plain=estate)
    of_each = [
        (at, one.row)
        for at in range(len(of_stores)) for one in stage.served_by(At("datastore", at))
    ]  # fmt: skip
    assert of_each == of_all


@given(
    n_cpus=st.lists(st.integers(0, 12), min_size=3, max_size=3),
    sizes=st.lists(st.integers(0, 90), max_size=3),
    pairs=st.lists(st.tuples(st.sampled_from(STORES), st.sampled_from(CLUSTERS)), max_size=9),
    disk_bytes=st.sampled_from([0, 7]),
)
def test_berths_of_clusters_that_share_datastores_are_as_many_as_fit_at_once(
    n_cpus, sizes, pairs, disk_bytes
):
    """As many as the narrowest cut lets through: the one is found by flow, the other by trying."""
    of_host = {cluster: 10 + at for at, cluster in enumerate(CLUSTERS)}
    estate = make_estate(
        pairs={"seen_by": [(store, of_host[cluster]) for store, cluster in pairs]},
        cluster=[{"id": pk} for pk in CLUSTERS],
        host=[{"id": of_host[pk], "cluster": pk, "cpus": n, "memory": 0}
              for pk, n in zip(CLUSTERS, n_cpus, strict=True)],
        datastore=[{"id": pk, "size": size, "used": 5}
                   for pk, size in zip(STORES, sizes, strict=False)],
    )  # fmt: skip
    reference = ReferenceVm(n_cpus=1, memory_bytes=0, disk_bytes=disk_bytes)
    now = read(estate, day=TODAY)
    each = berths_at(now, reference=reference, n_host_losses=0)
    hosts = {pk: n * VCPUS_A_CORE for pk, n in zip(CLUSTERS, n_cpus, strict=True)}
    room = {pk: max(0, size * 90 // 100 - 5) // 7
            for pk, size in zip(STORES, sizes, strict=False)}  # fmt: skip
    serving = {pk: {s for s, c in pairs if c == pk and s in room} for pk in CLUSTERS}
    known = [pk for pk in CLUSTERS if serving[pk] or disk_bytes == 0]
    assert [one.n_free is not None for one in each] == [pk in known for pk in CLUSTERS]
    cuts = [
        sum(hosts[pk] for pk in known if pk not in some)
        + sum(room[s] for s in set().union(*(serving[pk] for pk in some)))
        for n in range(len(known) + 1) for some in combinations(known, n)
    ]  # fmt: skip
    wanted = sum(hosts.values()) if disk_bytes == 0 else min(cuts) if known else None
    told = berths_together(now, each, of=np.arange(3), reference=reference)
    assert told == wanted


def test_what_is_mounted_is_a_place_for_the_other_cluster_from_its_day():
    told = after(dated("mount"))  # store-51 at wrack
    nothing = np.zeros(len(ESTATE.table("array")))
    beside = Beside(busy_iops=nothing, busy_bytes_per_second=nothing, min_iops=nothing)

    def places(day):
        ground = ground_of(reading(told, day), beside, has_stores=True)
        columns = (ground.pool, ground.cluster, ground.store)
        at = [*zip(*(one.tolist() for one in columns), strict=True)]
        assert len(set(at)) == len(at)
        return set(at)

    # It, and new ones on both pools of an array that wrack did not reach before.
    assert places(LATER) - places(TODAY + 6) == {(0, 1, 1), (0, 1, NOWHERE), (2, 1, NOWHERE)}


def test_work_of_the_other_cluster_may_lie_on_it_once_it_is_mounted():
    work = dated("place", number=2, to=51, cluster=45, n_vms=1, day=TODAY + 9)
    assert compiled(ESTATE, [work]).is_barred
    told = after(dated("mount"), work)
    assert told.plan.on(told.estate, day=LATER).table("vm").links["cluster"][-1] == 1


def test_a_disk_that_goes_where_nobody_runs_its_vm_sees_it_is_told_until_it_is_mounted():
    vms, stores = ESTATE.table("vm"), ESTATE.table("datastore")
    of_wrack = {**vms.links, "cluster": np.array([0, 1])}  # vm-81, whose disk lies on store-52
    ours = {**stores.links, "cluster": np.zeros(3, dtype=np.int64)}
    tables = {"vm": replace(vms, links=of_wrack), "datastore": replace(stores, links=ours)}
    estate = replace(ESTATE, tables={**ESTATE.tables, **tables})
    goes = dated("migrate", number=2, what=[92], to=51, day=TODAY + 9)
    fault = compiled(estate, [goes]).told[0].faults[0]
    assert (fault.field, fault.is_bar) == ("to", False)
    assert fault.says == ("not all hosts of wrack see store-51",)
    assert compiled(estate, [dated("mount"), goes]).told[1].faults == ()
