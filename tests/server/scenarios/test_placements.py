"""Where new work goes: every test with its margin, how many fit, and on a scenario."""

import pytest

from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import AboutDocument
from tests.server.cluster import tell
from tests.server.conftest import NOW
from tests.server.promises.promising import drawn_up as policy_drawn_up
from tests.server.scenarios.planning import ahead, drawn_up, extend, place

WORKLOAD = {
    "n_vms": 4, "last_until_on": ahead(90),
    "disks": [{"size_bytes": TIB, "written_percent": 50, "bytes_a_week": 0}],
}  # fmt: skip


def placed(api, *, query="", **more):
    told = api.send("POST", f"/placements{query}", **(WORKLOAD | more))
    assert told.status_code == 200, told.content
    return told.json()


def margin(candidate, check):
    return next(one for one in candidate["margins"] if one["check"] == check)


def of_pool(told):
    return next(one for one in told["candidates"] if one["datastore"] is None)


def of_store(told):
    return next(one for one in told["candidates"] if one["datastore"] is not None)


def test_a_place_tells_by_how_much_it_clears_each_test(api, estate):
    told = placed(api, n_cpus=4, memory_bytes=8 * GIB)
    assert (told["promised_bytes"], told["written_by_then_bytes"]) == (4 * TIB, 2 * TIB)
    pool, store = of_pool(told), of_store(told)
    assert (pool["pool"]["name"], pool["cluster"]["name"]) == ("heron-1 · swift-1", "kelp")
    assert store["datastore"]["name"] == "kelp-ds"
    # 18 TiB is the limit mark; 8 are used and 90 days at 20 GiB are likely to come.
    assert margin(pool, "space")["amount"] == pytest.approx(6 * TIB, rel=0.1)
    # A datastore of four TiB at its limit mark would be made, in whole GiB.
    assert margin(pool, "overcommit")["amount"] == 40 * TIB - 10 * TIB - 4_552 * GIB
    assert not margin(store, "overcommit")["is_asked"]
    assert margin(store, "datastore")["amount"] < 9 * TIB - 6 * TIB - 2 * TIB
    # Two hosts of 16 CPUs, one of them lost, 4 a core; five VMs have 2.
    assert margin(pool, "cpus")["amount"] == 16 * 4 - 10 - 16
    assert "class" not in told["checks"]
    assert {"space", "overcommit", "cpus", "memory"} <= set(told["checks"])


@pytest.mark.parametrize(("losses", "left"), [(0, 32 * 4), (1, 16 * 4), (2, 0)])
def test_as_many_hosts_may_fail_as_are_asked_for(api, estate, losses, left):
    told = of_pool(placed(api, n_cpus=4, n_host_losses=losses))
    assert margin(told, "cpus")["amount"] == left - 10 - 16
    assert (told["rank"] is None) == (losses == 2)
    several = [{**WORKLOAD, "name": "w", "n_cpus": 4, "n_host_losses": n} for n in (0, losses)]
    answer = api.send("POST", "/placements/together", workloads=several).json()
    assert answer["n_left"] == (8 if losses == 2 else 0)


def test_a_datastore_takes_more_once_it_is_extended_and_then_holds(api, estate):
    of = {"n_vms": 6, "n_cpus": 1}
    store = of_store(placed(api, **of))
    assert (store["rank"], store["n_fit"]) == (2, 5)  # after the new one, that needs nothing first
    assert 0 < store["extends_bytes"] < TIB
    assert store["extends_bytes"] % GIB == 0
    assert margin(store, "datastore")["is_cleared"]
    assert margin(store, "overcommit")["amount"] == 40 * TIB - 10 * TIB - store["extends_bytes"]
    extended = {
        "on": ahead(1), "kind": "extend_datastore",
        "fields": {"datastore": store["datastore"]["id"], "added_bytes": store["extends_bytes"]},
    }  # fmt: skip
    work = place(estate, on=1, n_vms=6, to=store["datastore"]["id"], cluster=None,
                 disks=WORKLOAD["disks"])  # fmt: skip
    assert [one["faults"] for one in drawn_up(api, extended, work)["moves"]] == [[], []]
    made = drawn_up(api, extended)
    on = of_store(placed(api, query=f"?scenario={made['id']}", first_on=ahead(2), **of))
    assert (on["extends_bytes"], on["rank"] is not None) == (0, True)


def test_how_many_fit_and_what_stops_the_next(api, estate):
    told = placed(api, n_vms=100, n_cpus=4)
    assert (told["n_fitting"], of_pool(told)["rank"]) == (0, None)
    assert of_pool(told)["stopped_by"] == "cpus"
    assert of_pool(told)["n_fit"] == (16 * 4 - 10) // 4
    # The cluster is one, however many places it reaches.
    assert told["n_fit"] == of_pool(told)["n_fit"]
    assert told["n_left"] == 100 - told["n_fit"]
    assert sum(one["n_vms"] for one in told["spread"]) == told["n_fit"]


def test_dates_with_it_come_sooner_and_a_workload_of_nothing_moves_none(api, estate):
    grown = placed(api, disks=[{"size_bytes": 4 * TIB, "written_percent": 0,
                                "bytes_a_week": 70 * GIB}])  # fmt: skip
    one = of_pool(grown)
    assert one["after"]["likely_on"] < one["before"]["likely_on"]
    nothing = of_pool(placed(api, disks=[{"size_bytes": TIB, "written_percent": 0}]))
    assert nothing["after"] == nothing["before"]


def test_a_policy_and_a_class_reject_and_say_so(api, estate):
    policy = policy_drawn_up(api, {"kind": "encrypted", "told": {}})
    told = of_pool(placed(api, policy_id=policy["id"]))
    assert (margin(told, "policy")["is_cleared"], margin(told, "policy")["n_missed"]) == (False, 1)
    far = of_pool(placed(api, sites=["Marram"]))
    assert not margin(far, "site")["is_cleared"]


def test_on_a_scenario_what_it_plans_is_counted_without_the_move_itself(api, estate):
    plain = margin(of_pool(placed(api)), "space")["amount"]
    made = drawn_up(api, place(estate, on=5), extend(estate, on=3))
    both = margin(of_pool(placed(api, query=f"?scenario={made['id']}")), "space")["amount"]
    query = f"?scenario={made['id']}&without=1"
    first_on = {"first_on": ahead(5)}
    alone = margin(of_pool(placed(api, query=query, **first_on)), "space")["amount"]
    assert alone == pytest.approx(plain + 9 * TIB, rel=0.001)  # nine tenths of the ten that come
    # Until the drives are there nothing of it has come, and then there is room.
    assert plain <= both * 1.001
    assert alone > both


def test_a_tenants_quota_is_one_wherever_its_bytes_lie(api, estate):
    tell(AboutDocument(uid="id.seabed", read_at=NOW, says={"quota_bytes": 3 * TIB}))
    told = placed(api, tenant="Seabed Mapping")
    assert "quota" in told["checks"]
    assert margin(of_pool(told), "quota")["amount"] < 0


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("n_vms", 0),
        ("disks", []),
        ("disks", [{"size_bytes": -1}]),
        ("last_until_on", ahead(0)),
        ("last_until_on", "2199-01-01"),
        ("first_on", ahead(200)),
        ("service_class", "Lukewarm"),
        ("policy_id", 999),
        ("apart", "afar"),
        ("weights", {"runway": 0, "balance": 0, "performance": 0, "cost": 0}),
    ],
)
def test_a_wrong_field_is_named(api, estate, field, value):
    answer = api.send("POST", "/placements", **(WORKLOAD | {field: value}))
    assert answer.status_code == 400
    assert answer.json()["errors"][0]["pointer"].startswith(f"#/{field}")


def test_more_than_64_bits_together_is_refused_in_words(api, estate):
    answer = api.send("POST", "/placements", **(WORKLOAD | {"disks": [{"size_bytes": 2**62}]}))
    assert answer.status_code == 400
    assert "8 EiB" in answer.json()["detail"]
