"""What a scenario does, at every bearing; the figures are those of every other screen."""

import pytest

from keelmark.access.clock import now
from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import ArrayDocument, PoolDocument
from keelmark.estate.models import Entity
from keelmark.forecasts.berths.counting import berths_of
from keelmark.forecasts.making.pools import refresh
from tests.server.cluster import READ_AT, history, tell
from tests.server.conftest import NOW
from tests.server.promises.promising import drawn_up as policy_drawn_up
from tests.server.promises.promising import promised
from tests.server.scenarios.planning import ahead, drawn_up, extend, free, outcome, place


def line(told, scenario):
    wanted = scenario and scenario["id"]
    return next(one for one in told["lines"] if one["scenario_id"] == wanted)


def cells(api, kind, *, columns, **query):
    told = api.get(f"/estate/rows/{kind}", columns=columns, **query).json()["results"]
    return {row["name"]: row["cells"] for row in told}


def test_a_scenario_of_nothing_is_the_estate_as_it_is(api, estate):
    made = drawn_up(api)
    told = outcome(api, made)
    plain, planned = line(told, None), line(told, made)
    assert {**plain, "scenario_id": 0, "name": ""} == {**planned, "scenario_id": 0, "name": ""}
    assert told["moved"] == []
    for kind in ("pool", "vm", "disk", "tenant"):
        query = {"columns": "used,size,state", "at": ahead(60)}
        assert cells(api, kind, scenario=made["id"], **query) == cells(api, kind, **query)


def test_every_screen_reads_the_estate_as_a_scenario(api, estate):
    made = drawn_up(api, extend(estate, on=3), place(estate, on=7))
    plain = cells(api, "pool", columns="used,size,promised", at=ahead(7))["swift-1"]
    as_planned = {
        day: cells(api, "pool", columns="used,size,promised", at=ahead(day), scenario=made["id"])
        for day in (2, 3, 7)
    }
    assert as_planned[2]["swift-1"]["size"] == plain["size"]
    assert as_planned[3]["swift-1"]["size"] == plain["size"] + 10 * TIB
    assert as_planned[7]["swift-1"]["used"] == plain["used"] + 5 * TIB // 2
    vms = cells(api, "vm", columns="used,cluster", at=ahead(7), scenario=made["id"])
    assert vms["sonar-new-5"]["used"] == TIB // 2
    assert vms["sonar-new-5"]["cluster"]["name"] == "kelp"
    assert "sonar-new-5" not in cells(api, "vm", columns="used", at=ahead(7))
    born = api.get("/estate/rows/vm", scope="sonar-new-5", at=ahead(7), scenario=made["id"])
    pk = born.json()["results"][0]["id"]
    assert pk < 2**53
    page = api.get(f"/estate/things/{pk}", at=ahead(7), scenario=made["id"])
    assert page.status_code == 200
    assert api.get(f"/estate/things/{pk}", at=ahead(7)).status_code == 404


def test_lists_tell_what_a_scenario_makes_otherwise(api, estate):
    made = drawn_up(api, extend(estate, on=3), place(estate, on=7))
    asked = {"columns": "used,size,array", "at": ahead(7)}
    (pool,) = api.get("/estate/rows/pool", scenario=made["id"], **asked).json()["results"]
    plain = cells(api, "pool", **asked)["swift-1"]
    assert pool["otherwise"] == {"used": plain["used"], "size": plain["size"]}
    assert not pool["is_new"]
    (as_it_is,) = api.get("/estate/rows/pool", **asked).json()["results"]
    assert (as_it_is["otherwise"], as_it_is["is_new"]) == (None, False)
    vms = api.get("/estate/rows/vm", columns="used", at=ahead(7), scenario=made["id"]).json()
    told = {one["name"]: (one["otherwise"], one["is_new"]) for one in vms["results"]}
    assert told["sonar-new-5"] == (None, True)
    assert told["sonar-0"] == ({}, False)


READS = [
    "/estate/rows/vm", "/estate/facets/pool?by=state", "/estate/area/disk?by=tenant",
    "/estate/coast", "/estate/strata", "/estate/tide", "/estate/rows/pool/export?as=csv",
    "/compliance/policies", "/compliance/verdicts/vm", "/compliance/tiers",
    "/compliance/offers/array", "/compliance/lanes", "/compliance/lanes/by/pool",
    "/compliance/pulse", "/compliance/names",
]  # fmt: skip


@pytest.mark.parametrize("day", [None, 10])
@pytest.mark.parametrize("path", READS)
def test_every_read_can_be_asked_as_a_scenario(api, estate, path, day):
    made = drawn_up(api, place(estate, on=0), free(estate, "uuid.v0", on=4), extend(estate, on=1))
    path, _, query = path.partition("?")
    asked = dict(one.split("=") for one in query.split("&") if one)
    at = {} if day is None else {"at": ahead(day)}
    told = api.get(path, scenario=made["id"], **asked, **at)
    assert told.status_code == 200, told.content


def test_the_tide_has_the_days_of_moves(api, estate):
    made = drawn_up(api, extend(estate, on=3), place(estate, on=7))
    tide = api.get("/estate/tide", scenario=made["id"]).json()
    assert tide["steps"] == [ahead(3), ahead(7)]
    assert api.get("/estate/tide").json()["steps"] == []


def test_the_day_before_and_days_that_have_been_are_as_they_were(api, estate):
    made = drawn_up(api, place(estate))
    for day in (-3, 0, 6):
        query = {"columns": "used,size", "at": ahead(day)}
        assert cells(api, "pool", scenario=made["id"], **query) == cells(api, "pool", **query)


def test_runways_move_and_what_ends_first_is_told(api, estate):
    fast = {"kind": "change_growth", "on": ahead(1),
            "fields": {"thing": estate["uuid.p"], "bytes_a_week": TIB}}  # fmt: skip
    slow, more = drawn_up(api, fast), drawn_up(api, fast, extend(estate), name="with drives")
    told = outcome(api, slow, beside=more["id"])
    before, after = line(told, slow)["first_end"], line(told, more)["first_end"]
    assert before["name"] == "heron-1 · swift-1"
    assert before["on"] < after["on"]
    assert line(told, more)["spends"] == 900
    moved = next(one for one in told["moved"] if one["kind"] == "pool")
    assert moved["dates_after"]["likely_on"] == before["on"]
    assert moved["dates_before"]["likely_on"] > before["on"]
    assert moved["dates_after"]["order_by_on"] < moved["dates_after"]["early_on"]
    for scenario, n in ((slow["id"], 1), (more["id"], 1), (None, 0)):
        query = {"scope": "runway<200d", **({"scenario": scenario} if scenario else {})}
        assert api.get("/estate/rows/pool", **query).json()["n_all"] == n


def test_berths_are_those_of_the_clusters_page_and_what_is_freed_brings_more(api, estate):
    made = drawn_up(api, free(estate, "uuid.v0", "uuid.v1"))
    kelp = berths_of(Entity.objects.get(pk=estate["id.kelp"]), now=now())
    told = outcome(api, made, days=0)
    assert line(told, None)["n_berths"] == kelp.now.n_free
    assert line(told, None)["clusters"][0]["limited_by"] == kelp.now.limited_by
    later = outcome(api, made, days=30)
    assert line(later, made)["n_berths"] > line(later, None)["n_berths"]


def test_exposure_and_promises_broken_are_told_beside_those_as_it_is(api, estate):
    ceiling = {"kind": "overcommit", "told": {"ceiling_percent": 120}}
    promised(api, policy_drawn_up(api, ceiling), estate["naa.1"])
    made = drawn_up(api, place(estate, disks=[{"size_bytes": 4 * TIB, "written_percent": 1}]))
    told = outcome(api, made, days=40)
    assert line(told, made)["exposure_bytes"] > line(told, None)["exposure_bytes"]
    assert (line(told, None)["n_broken"], line(told, made)["n_broken"]) == (0, 1)
    assert [(one["name"], one["is_broken"]) for one in told["turned"]] == [("seabed-1", True)]


def tried(api, *moves, days=90, **query):
    asked = "&".join(f"{name}={told}" for name, told in {"at": ahead(days), **query}.items())
    told = api.send("POST", f"/placements/outcome?{asked}", moves=list(moves))
    assert told.status_code == 200, told.content
    return told.json()


@pytest.mark.parametrize("days", [0, 4, 90])
@pytest.mark.parametrize("stood", [[], ["extend"], ["place", "extend"]])
def test_what_is_tried_is_computed_as_what_is_planned(api, estate, stood, days):
    makes = {"extend": extend(estate, on=9), "place": place(estate, on=6, name="sonar-old")}
    kept, new = [makes[one] for one in stood], place(estate, on=3)
    base = drawn_up(api, *kept)
    told = tried(api, new, days=days, **({"scenario": base["id"]} if stood else {}))
    wanted = outcome(api, both := drawn_up(api, *kept, new), days=days)
    same = {"scenario_id": 0, "name": ""}
    assert {**told["lines"][-1], **same} == {**line(wanted, both), **same}
    assert told["lines"][0] == wanted["lines"][0]
    if not stood:
        assert (told["moved"], told["turned"]) == (wanted["moved"], wanted["turned"])
    # From the scenario on: what it does alike is not told again.
    assert [one["scenario_id"] for one in told["lines"]] == [None, *[base["id"]] * bool(stood), 0]
    (pool,) = (one for one in told["moved"] if one["kind"] == "pool")
    had = outcome(api, base, days=days)["moved"] or [
        {**pool, "after": pool["before"], "dates_after": pool["dates_before"]}
    ]
    was = next(one for one in had if one["id"] == pool["id"])
    assert (pool["before"], pool["dates_before"]) == (was["after"], was["dates_after"])
    assert pool["dates_after"]["likely_on"] < (pool["dates_before"]["likely_on"] or "9")


def test_a_trial_that_cannot_be_is_told(api, estate):
    bad = place(estate, to=10**7)
    told = tried(api, bad)
    assert told["lines"][-1]["n_barred"] == 1
    assert told["moved"] == []
    odd = api.send("POST", "/placements/outcome", moves=[{"kind": "place", "fields": {"to": "x"}}])
    assert odd.status_code == 400
    assert api.send("POST", "/placements/outcome?scenario=999", moves=[bad]).status_code == 404


@pytest.mark.parametrize(
    ("query", "field"),
    [({"beside": "1,2,3,4"}, "beside"), ({"beside": "x"}, "beside"), ({"q": "worst"}, "q")],
)
def test_an_outcome_that_cannot_be_asked_for_is_refused(api, estate, query, field):
    made = drawn_up(api)
    told = api.get(f"/scenarios/{made['id']}/outcome", **query)
    assert told.status_code == 400
    assert told.json()["errors"][0]["pointer"] == f"#/{field}"


def test_a_bearing_as_no_scenario_that_is_known_is_refused(api, estate):
    assert api.get("/estate/rows/pool", scenario=999).status_code == 404
    assert api.get("/estate/rows/pool", scenario="tide").status_code == 400


def test_moves_of_hosts_change_what_clusters_hold(api, estate):
    hosts = {"kind": "add_hosts", "on": ahead(2),
             "fields": {"cluster": estate["id.kelp"], "n_hosts": 3, "n_cpus": 64,
                        "memory_bytes": 512 * GIB}}  # fmt: skip
    told = outcome(api, drawn_up(api, hosts), days=5)
    before, after = (one["clusters"][0] for one in told["lines"])
    assert after["n_free"] >= before["n_free"]
    assert after["limited_by"] == "disk_bytes"


def answer(api, scenario, *, days=200, **query):
    told = api.get(f"/scenarios/{scenario['id']}/answer", until=ahead(days), **query)
    assert told.status_code == 200, told.content
    return told.json()


def test_the_least_that_keeps_every_limit_is_told_as_moves_that_do(api, estate):
    fast = {"kind": "change_growth", "on": ahead(1),
            "fields": {"thing": estate["uuid.p"], "bytes_a_week": TIB}}  # fmt: skip
    made = drawn_up(api, fast)
    told = answer(api, made)
    assert [one["name"] for one in told["short"]] == ["heron-1 · swift-1"]
    assert told["short"][0]["early_on"] < ahead(200)
    assert (told["holds"], told["growth_times"]) == (True, None)
    assert told["fails_first"] == "heron-1 · swift-1"
    # There is no other pool: nothing can be moved, and what must be added is the bound.
    assert [one["kind"] for one in told["moves"]] == ["extend_pool"]
    assert told["added_bytes"] >= told["bound_bytes"] > told["added_bytes"] * 0.9
    done = drawn_up(api, fast, *told["moves"], name="with it")
    assert answer(api, done)["short"] == []
    assert answer(api, done)["growth_times"] >= 1


def test_what_is_added_comes_in_whole_groups_of_drives(api, estate):
    fast = {"kind": "change_growth", "on": ahead(1),
            "fields": {"thing": estate["uuid.p"], "bytes_a_week": TIB}}  # fmt: skip
    told = answer(api, drawn_up(api, fast), group_bytes=7 * TIB)
    assert told["added_bytes"] % (7 * TIB) == 0


def test_another_pool_of_the_class_takes_what_one_lacks_before_anything_is_added(api, estate):
    tell(
        ArrayDocument(uid="serial.h2", name="heron-2", site="Skerry", read_at=READ_AT),
        PoolDocument(uid="uuid.p2", array_uid="serial.h2", name="swift-1", usable_bytes=90 * TIB,
                     used_bytes=TIB, provisioned_bytes=TIB, read_at=READ_AT),
        history("uuid.p2", last=TIB),
    )  # fmt: skip
    refresh(now=NOW)
    build_revision(now=NOW)
    fast = {"kind": "change_growth", "on": ahead(1),
            "fields": {"thing": estate["uuid.p"], "bytes_a_week": TIB // 4}}  # fmt: skip
    told = answer(api, drawn_up(api, fast), days=250)
    assert [one["kind"] for one in told["moves"]] == ["migrate"]
    assert told["moves"][0]["fields"]["what"] == [estate["naa.1"]]
    assert (told["added_bytes"], told["bound_bytes"], told["holds"]) == (0, 0, True)


@pytest.mark.parametrize(
    ("query", "field"),
    [({"until": ahead(0)}, "until"), ({"until": "soon"}, "until"),
     ({"until": ahead(9), "group_bytes": "many"}, "group_bytes")],
)  # fmt: skip
def test_an_answer_that_cannot_be_asked_for_is_refused(api, estate, query, field):
    told = api.get(f"/scenarios/{drawn_up(api)['id']}/answer", **query)
    assert told.status_code == 400
    assert told.json()["errors"][0]["pointer"] == f"#/{field}"


def test_one_more_datastore_tells_how_many_vms_and_how_long_it_brings(api, estate):
    fields = {
        "pool": estate["uuid.p"], "cluster": estate["id.kelp"], "name": "kelp-new",
        "size_bytes": 8 * TIB,
    }  # fmt: skip
    made = drawn_up(api, {"on": ahead(2), "kind": "new_datastore", "fields": fields})
    told = outcome(api, made, days=10)
    before, after = line(told, None), line(told, made)
    (kelp,) = [one for one in after["clusters"] if one["name"] == "kelp"]
    (was,) = [one for one in before["clusters"] if one["name"] == "kelp"]
    assert (was["limited_by"], kelp["n_free"] > was["n_free"]) == ("disk_bytes", True)
    moved = {one["name"]: one for one in told["moved"]}
    sizes = [moved["kelp"][name]["size_bytes"] for name in ("before", "after")]
    assert sizes[1] - sizes[0] == 8 * TIB


def test_a_thing_tells_its_course_with_a_scenario(api, estate):
    made = drawn_up(api, extend(estate, on=3), place(estate, on=7))
    path = f"/scenarios/{made['id']}/course"
    told = api.get(f"{path}/{estate['uuid.p']}").json()
    added, sizes = told["added_bytes"], told["size_bytes"]
    assert told["first_on"] == ahead(0)
    assert (added[6], added[7]) == (0, 5 * TIB / 2)
    assert added[30] > added[7]
    assert (sizes[2], sizes[3]) == (20 * TIB, 30 * TIB)
    moved = {one["id"]: one for one in outcome(api, made)["moved"]}[estate["uuid.p"]]
    for name in ("dates_before", "dates_after"):
        assert told[name] == moved[name]
    nothing = drawn_up(api)
    empty = api.get(f"/scenarios/{nothing['id']}/course/{estate['uuid.p']}").json()
    assert (empty["added_bytes"], empty["dates_before"]) == ([], empty["dates_after"])
    assert api.get(f"{path}/999999").status_code == 404
