"""The estate at any bearing over the API: one way to count, by day, by rights, by sift."""

import io
from datetime import date, timedelta

import pyarrow as pa
import pytest
from openpyxl import load_workbook
from pyarrow import csv, parquet

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person, set_person
from keelmark.bearings.models import Pack, PackedDay, Revision
from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    ProtectionDocument,
    ReadingsDocument,
    TenantDocument,
    VirtualMachineDocument,
    VolumeDocument,
)
from keelmark.estate.models import Entity, VirtualDisk
from keelmark.feeds.importer import Imported, import_documents
from keelmark.readings.models import DailyReading
from tests.server.cluster import READ_AT, make_cluster
from tests.server.conftest import NOW, Api, for_a_module, signed_in

TODAY = NOW.date()


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        yield make_cluster()


@pytest.fixture
def estate(cluster, db):
    return cluster


def rows(api, kind, **query):
    return api.get(f"/estate/rows/{kind}", **query).json()


def names(told):
    return [row["name"] for row in told["results"]]


def ago(days):
    return (TODAY - timedelta(days=days)).isoformat()


def ahead(days):
    return (TODAY + timedelta(days=days)).isoformat()


@pytest.mark.parametrize("kind", ["site", "array", "pool", "volume", "datastore", "vm", "disk",
                                  "cluster", "host", "tenant", "project"])  # fmt: skip
def test_every_kind_is_listed_with_all_that_is_told_of_it(api, estate, kind):
    fields = next(k for k in api.get("/estate/kinds").json() if k["name"] == kind)["fields"]
    names_of_fields = ",".join(field["name"] for field in fields)
    told = rows(api, kind, columns=names_of_fields, order="-name")
    assert told["n_all"] == Entity.objects.filter(kind=kind).count()
    assert set(told["results"][0]["cells"]) == {f["name"] for f in fields} - {"name"}


def test_bytes_are_exact_and_totals_are_those_of_the_tables(api, estate):
    VirtualDisk.objects.filter(entity__uid="path.v4:a").update(on_array_bytes=None)
    told = rows(api, "disk", columns="used,size")
    held = [disk.on_array_bytes for disk in VirtualDisk.objects.all()]
    known = [one for one in held if one is not None]
    assert {t["name"]: (t["known_bytes"], t["n_unread"]) for t in told["totals"]} == {
        "used": (sum(known), 1), "size": (5 * 1024 * GIB, 0),
    }  # fmt: skip
    vms = rows(api, "vm", columns="used")
    assert vms["totals"][0]["known_bytes"] == sum(known)
    tenant = rows(api, "tenant", columns="used")["results"][0]
    assert tenant["cells"]["used"] == sum(known)


def test_pages_follow_each_other_and_neither_repeat_nor_leave_out(api, estate):
    met, cursor = [], ""
    while cursor is not None:
        page = rows(api, "disk", order="-used,name", page_size=2, cursor=cursor)
        met += names(page)
        cursor = page["next"]
    assert met == names(rows(api, "disk", order="-used,name"))
    assert len(met) == 5


@pytest.mark.parametrize(
    ("path", "query", "pointer"),
    [
        ("/estate/rows/pool", {"columns": "colour"}, "#/columns"),
        ("/estate/rows/pool", {"order": "colour"}, "#/columns"),
        ("/estate/rows/tree", {}, "#/kind"),
        ("/estate/rows/pool", {"at": "soon"}, "#/at"),
        ("/estate/rows/pool", {"at": "2999-01-01"}, "#/at"),
        ("/estate/rows/pool", {"q": "worst"}, "#/q"),
        ("/estate/rows/pool", {"window": "8"}, "#/window"),
        ("/estate/rows/pool", {"page_size": "0"}, "#/page_size"),
        ("/estate/rows/pool", {"cursor": "x"}, "#/cursor"),
        ("/estate/rows/pool", {"scope": "fre>2"}, "#/scope"),
        ("/compliance/policies", {"scope": "colour:blue"}, "#/scope"),
        ("/compliance/tiers", {"scope": "class:Swift colour:blue"}, "#/scope"),
        ("/estate/rows/pool/export", {"as": "ods"}, "#/as"),
        ("/estate/facets/pool", {"by": "used"}, "#/by"),
        ("/estate/strata", {"way": "up"}, "#/way"),
        ("/estate/strata", {"height": "tall"}, "#/height"),
        ("/estate/strata", {"path": "a"}, "#/path"),
        ("/estate/strata", {"path": "999999"}, "#/path"),
        ("/estate/words", {"cursor": "x"}, "#/cursor"),
    ],
)
def test_what_cannot_be_asked_is_refused_by_field(api, estate, path, query, pointer):
    answer = api.get(path, **query)
    assert answer.status_code == 400
    assert answer.json()["errors"][0]["pointer"] == pointer


def test_a_day_that_was_is_as_it_was_read(api, estate):
    pool = rows(api, "pool", at=ago(30), columns="used,grown", window=30)
    assert pool["at"] == {
        "day": ago(30), "when": "past", "quantile": "likely", "window_days": 30, "scenario": None,
        "revision": pool["at"]["revision"],
    }  # fmt: skip
    read = DailyReading.objects.get(entity_id=estate["uuid.p"], day=ago(30))
    before = DailyReading.objects.get(entity_id=estate["uuid.p"], day=ago(60))
    cells = pool["results"][0]["cells"]
    assert cells["used"] == read.used_bytes
    assert cells["grown"] == read.used_bytes - before.used_bytes
    # Three of the disks had not arrived, and what was not read is not nought.
    disks = rows(api, "disk", at=ago(30), columns="used")
    assert [row["cells"]["used"] is None for row in disks["results"]].count(False) == 2


def test_a_packed_day_is_made_anew_after_its_past_was_told(
    api,
    estate,
    django_capture_on_commit_callbacks,
):
    def used():
        return rows(api, "pool", at=ago(20), columns="used")["results"][0]["cells"]["used"]

    first = used()
    made_at = PackedDay.objects.get(day=ago(20)).made_at
    assert used() == first
    assert PackedDay.objects.get(day=ago(20)).made_at == made_at
    then = date.fromisoformat(ago(20))
    told = ReadingsDocument(uid="uuid.p", first_on=then, used_bytes=[5 * TIB])
    with django_capture_on_commit_callbacks(execute=True):
        import_documents([told], into=Imported())
    assert used() == 5 * TIB


@pytest.mark.parametrize(("q", "name"), [("likely", "p50"), ("bad", "p90")])
def test_a_day_to_come_is_what_the_forecast_says(api, estate, q, name):
    told = api.get(f"/forecasts/{estate['uuid.p']}", days=60).json()
    days = (date.fromisoformat(ahead(45)) - date.fromisoformat(told["as_of"])).days
    pool = rows(api, "pool", at=ahead(45), q=q, columns="used,size,fill")
    assert pool["at"]["when"] == "forecast"
    assert pool["results"][0]["cells"]["used"] == pytest.approx(told["path"][name][days - 1], abs=1)
    assert pool["totals"][0]["known_bytes"] == pytest.approx(
        pool["results"][0]["cells"]["used"], abs=1
    )


def test_bands_of_many_are_folded_and_never_added(api, estate):
    def disks(q):
        return rows(api, "disk", at=ahead(90), q=q, columns="used")

    likely, bad = disks("likely"), disks("bad")
    added = sum(row["cells"]["used"] or 0 for row in bad["results"])
    whole = {told: one["totals"][0]["known_bytes"] for told, one in (("l", likely), ("b", bad))}
    assert whole["l"] < whole["b"] < added


@pytest.fixture
def viewer(estate):
    """Whoever looks after Seabed Mapping, beside another tenant with a VM of its own."""
    import_documents(
        [
            TenantDocument(uid="id.web", name="Public Web", read_at=READ_AT),
            VirtualMachineDocument(uid="uuid.w", name="web-1", cluster_uid="id.kelp",
                                   read_at=READ_AT),
        ],
        into=Imported(),
    )  # fmt: skip
    keeper = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    person = ensure_person(name="viewer", password="neap-tide", role=Role.TENANT_VIEWER)
    set_person(actor=keeper, person_id=person.pk, tenant_ids=[estate["id.seabed"]])
    return Api(signed_in(person))


def test_a_tenant_viewer_counts_their_own_alone(viewer, estate):
    assert names(rows(viewer, "vm")) == [f"sonar-{n}" for n in range(5)]
    assert rows(viewer, "pool")["n_all"] == 0
    assert names(rows(viewer, "tenant")) == ["Seabed Mapping"]
    assert rows(viewer, "vm", scope="pool:swift-1")["n_all"] == 0  # nor by what is not theirs
    assert viewer.get("/estate/strata").json()["layers"][0]["members"] == []
    shown = viewer.get("/estate/strata", way="consumers").json()["layers"]
    assert [one["name"] for one in shown[0]["members"]] == ["Seabed Mapping"]
    assert viewer.get(f"/estate/things/{estate['uuid.p']}").status_code == 404
    assert viewer.get(f"/estate/things/{estate['uuid.p']}/details").status_code == 404
    words = viewer.get("/estate/words", kind="tenant", text="name:").json()["suggestions"]
    assert [one["text"] for one in words] == ['"Seabed Mapping"']
    assert viewer.get("/estate/jump", text="swift").json() == []
    assert "web-1" not in [one["name"] for one in viewer.get("/estate/jump", text="web-1").json()]
    assert [one["name"] for one in viewer.get("/estate/jump", text="sonar-3").json()][:1] == [
        "sonar-3"
    ]
    thing = viewer.get(f"/estate/things/{estate['uuid.v0']}").json()
    assert {one["kind"] for one in thing["related"]} <= {"disk", "vm", "project", "tenant"}
    disks = viewer.get(f"/estate/things/{estate['uuid.v0']}/disks").json()
    assert [one["datastore"] for one in disks["disks"]] == [None]  # where it lies is not told


def test_a_list_is_taken_along_as_it_is_shown(api, estate):
    query = {"columns": "vm,used,seen", "order": "-name", "scope": "sonar-1 or sonar-3"}
    shown = rows(api, "disk", **query)
    wanted = [(row["name"], row["cells"]["used"]) for row in shown["results"]]

    def taken(as_):
        return api.get("/estate/rows/disk/export", **query, **{"as": as_}).content

    for table in (csv.read_csv(io.BytesIO(taken("csv"))), parquet.read_table(
            io.BytesIO(taken("parquet")))):  # fmt: skip
        told = table.to_pydict()
        assert list(zip(told["name"], told["used_bytes"], strict=True)) == wanted
        assert told["vm"] == ["sonar-3", "sonar-1"]
        assert pa.types.is_date32(table.schema.field("seen_on").type)
    sheet = load_workbook(io.BytesIO(taken("xlsx"))).active
    assert [(row[1], row[3]) for row in sheet.iter_rows(min_row=2, values_only=True)] == wanted


def test_a_name_that_is_a_formula_is_taken_along_as_text(api, estate):
    Entity.objects.filter(uid="uuid.v0").update(name="=1+1")
    query = {"scope": '"=1+1"'}
    told = api.get("/estate/rows/vm/export", **query).content.decode()
    assert "'=1+1" in told
    sheet = api.get("/estate/rows/vm/export", **query, **{"as": "xlsx"}).content
    cell = load_workbook(io.BytesIO(sheet)).active["B2"]
    assert (cell.value, cell.data_type) == ("=1+1", "s")


def test_what_is_chosen_is_added_up_by_the_server(api, estate):
    ids = [estate["path.v0:a"], estate["path.v3:a"], 10**9]
    told = api.send("POST", "/estate/rows/disk/selected?columns=size", ids=ids).json()
    assert told == {
        "n": 2, "totals": [{"name": "size", "known_bytes": 2048 * GIB, "n_unread": 0}],
    }  # fmt: skip


def test_facets_and_areas_count_what_the_list_counts(api, estate):
    facets = api.get("/estate/facets/vm", by="power,project").json()
    assert facets[0] == {
        "by": "power", "slices": [{"name": "on", "n": 5, "used_bytes": 2500 * GIB}],
    }  # fmt: skip
    area = api.get("/estate/area/vm", by="cluster,project").json()["groups"]
    assert [(g["names"], g["n"], g["used_bytes"]) for g in area] == [
        (["kelp", "charts"], 5, 2500 * GIB)
    ]
    coast = api.get("/estate/coast").json()["sites"]
    assert [(s["name"], s["n_arrays"], s["used_bytes"]) for s in coast] == [("Skerry", 1, 8 * TIB)]


def test_strata_narrow_with_the_sift(api, estate):
    def layers(**query):
        told = api.get("/estate/strata", **query).json()["layers"]
        return [(one["title"], [m["name"] for m in one["members"]]) for one in told]

    assert layers()[:5] == [
        ("site", ["Skerry"]), ("array", ["heron-1"]), ("pool", ["swift-1"]),
        ("volume", ["seabed-1"]), ("datastore", ["kelp-ds"]),
    ]  # fmt: skip
    assert layers(scope="sonar-2", way="consumers")[2] == ("vm", ["sonar-2"])
    assert layers(scope="-site:Skerry") == [("", [])]
    grown = api.get("/estate/strata", height="grown", window=7).json()["layers"][2]
    read = DailyReading.objects.get(entity_id=estate["uuid.p"], day=ago(7)).used_bytes
    assert grown["members"][0]["amount"] == 8 * TIB - read


def test_tables_that_did_not_change_keep_their_packs(estate):
    first = build_revision(now=NOW)
    assert build_revision(now=NOW) is None
    kept = set(first.packs.values_list("pk", flat=True))
    Entity.objects.filter(uid="uuid.v0").update(name="sonar-zero")
    second = build_revision(now=NOW)
    assert len(set(second.packs.values_list("pk", flat=True)) - kept) == 1
    for n in range(4):
        Entity.objects.filter(uid="uuid.v0").update(name=f"sonar-{n}-again")
        build_revision(now=NOW)
    assert Revision.objects.count() == 3
    assert not Pack.objects.filter(revisions=None).exists()


def test_the_tide_bar_tells_what_was_used_and_who_ends_when(api, estate):
    tide = api.get("/estate/tide").json()
    assert tide["line"][-1] == {"on": TODAY.isoformat(), "used_bytes": 8 * TIB}
    ends = rows(api, "pool", columns="runway")["results"][0]["cells"]["runway"]
    ticks = [(tick["name"], tick["on"]) for tick in tide["ticks"]]
    assert ticks == (
        []
        if ends is None
        else [("heron-1 · swift-1", str(date(1970, 1, 1) + timedelta(days=ends)))]
    )
    assert api.get("/estate/tide", scope="-site:Skerry").json()["line"] == []


def test_a_thing_is_told_with_its_surroundings(api, estate):
    told = api.get(f"/estate/things/{estate['uuid.p']}").json()
    assert told["figures"]["used"] == 8 * TIB
    assert told["figures"]["limit_mark"] == 90
    by_kind = {one["kind"]: one for one in told["related"]}
    assert by_kind["vm"]["used"]["known_bytes"] == 2500 * GIB
    assert by_kind["project"]["side"] == "over"
    assert by_kind["site"]["side"] == "under"
    week = next(one for one in told["grown"] if one["days"] == 7)
    read = DailyReading.objects.get(entity_id=estate["uuid.p"], day=ago(7)).used_bytes
    assert week["bytes"] == 8 * TIB - read
    assert told["stops"]["n_vms"] == 5
    assert told["stops"]["n_without"] == 5


def test_who_has_a_copy_elsewhere_is_known(api, estate):
    import_documents(
        [
            VolumeDocument(uid="naa.2", pool_uid="uuid.p", name="copy", size_bytes=10 * TIB,
                           read_at=READ_AT),
            VolumeDocument(uid="naa.1", pool_uid="uuid.p", name="seabed-1", size_bytes=10 * TIB,
                           written_bytes=8 * TIB, replicated_to=["naa.2"], read_at=NOW),
            ProtectionDocument(uid="id.r1", of_uid="naa.1", job="sea", method="replication",
                               started_at=READ_AT, ended_at=READ_AT, result="done"),
        ],
        into=Imported(),
    )  # fmt: skip
    volume = api.get(f"/estate/things/{estate['naa.1']}").json()["stops"]
    assert (volume["n_vms"], volume["n_copied"], volume["n_without"]) == (5, 5, 0)
    assert volume["oldest_copy_on"] == READ_AT.date().isoformat()
    carries = [(one["id"], one["home_name"], one["n_copies"]) for one in volume["carry_on"]]
    assert carries == [(estate["uuid.p"], "heron-1", 1)]
    pool = api.get(f"/estate/things/{estate['uuid.p']}").json()["stops"]
    assert (pool["n_without"], pool["carry_on"]) == (5, [])  # the copy lies in the same pool


def test_siftings_are_kept_by_name_and_shared_by_wish(api, estate):
    kept = api.send("POST", "/siftings", name="fast", text="class:Swift", is_shared=True)
    assert kept.status_code == 201
    again = api.send("POST", "/siftings", name="fast", text="class:Deep", is_shared=True)
    assert (again.status_code, again.json()["id"]) == (200, kept.json()["id"])
    assert api.send("POST", "/siftings", name="bad", text="(a").status_code == 400
    other = Api(signed_in(ensure_person(name="other", password="neap-tide", role=Role.PLANNER)))
    seen = other.get("/siftings").json()
    assert [(one["name"], one["text"], one["is_own"]) for one in seen] == [
        ("fast", "class:Deep", False)
    ]
    path = f"/siftings/{kept.json()['id']}"
    assert other.send("DELETE", path).status_code == 404
    assert api.send("DELETE", path).status_code == 204
    assert api.get("/siftings").json() == []


@pytest.mark.parametrize(
    ("text", "name"),
    [("sonar-3", "sonar-3"), ("SEABED-1", "seabed-1"), ("heron swift-1", "swift-1"),
     ("soanr-3", "sonar-3"), ("swfit-1", "swift-1")],
)  # fmt: skip
def test_anything_is_found_by_its_name_and_nearly_so(api, estate, text, name):
    assert name in [one["name"] for one in api.get("/estate/jump", text=text).json()][:3]


def test_what_is_called_just_so_comes_before_what_begins_so(api, estate):
    told = api.get("/estate/jump", text="kelp").json()
    assert [one["name"] for one in told] == ["kelp", "kelp-ds", "kelp-1", "kelp-2"]


def test_some_kinds_alone_are_looked_for(api, estate):
    told = api.get("/estate/jump", text="kelp", kinds="datastore,host").json()
    assert [one["name"] for one in told] == ["kelp-ds", "kelp-1", "kelp-2"]
    assert api.get("/estate/jump", text="kelp", kinds="reef").status_code == 400


@pytest.mark.parametrize("text", ["", "x", "no such thing at all"])
def test_what_is_called_otherwise_is_not_found(api, estate, text):
    assert api.get("/estate/jump", text=text).json() == []


def test_a_word_that_is_typed_is_completed_and_a_fault_pointed_at(api, estate):
    told = api.get("/estate/words", kind="vm", text="power:o").json()
    assert (told["begin"], [one["text"] for one in told["suggestions"]]) == (6, ["on"])
    assert told["fault"] is None
    fault = api.get("/estate/words", kind="vm", text="sonar fre>1 ").json()["fault"]
    assert (fault["begin"], fault["end"]) == (6, 9)
