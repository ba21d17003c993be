"""Doors 3, 10 and 12: what a read may cost, whose rows it tells, and bad input."""

import cProfile
import json
from typing import Any

import pytest
from django.db import connection

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person
from keelmark.core.sift import MAX_TERMS
from keelmark.estate.documents import Backing
from keelmark.estate.export import safe_cell
from keelmark.estate.models import Entity, Pool, PoolBacking
from keelmark.estate.selectors import things_ever, things_ever_for
from keelmark.estate.trace import Knot, trace
from keelmark.feeds.importer import Imported, import_documents
from tests.server.conftest import NOW, signed_in
from tests.server.test_joining import CLUSTER, array, disk, host, pool, store, vm, volume


def test_a_sift_costs_no_more_than_its_words_however_many(make_pool, refresh_all, api):
    make_pool()
    refresh_all()
    alone = api.get("/pools").json()

    def calls(n):
        watch = cProfile.Profile()
        words = " ".join(f"-w{at}" for at in range(n))
        assert watch.runcall(api.get, "/pools", scope=words).json() == alone
        return sum(entry.callcount for entry in watch.getstats())

    assert calls(MAX_TERMS) < MAX_TERMS * calls(1)  # each word took twice as many as one before


@pytest.mark.parametrize(
    ("scope", "told"),
    [
        (" ".join(["a"] * 65), "at most 64 terms"),
        ("a" * 4001, "at most 4000 characters"),
        ('"a', "quotation mark"),
    ],
)
def test_a_sift_that_is_too_long_is_refused_in_words(api, scope, told):
    for path in ("/pools", "/facets", "/changes", "/limits", "/pools/export"):
        answer = api.get(path, scope=scope)
        assert answer.status_code == 400
        assert told in answer.json()["detail"]
        assert answer.json()["errors"][0]["pointer"] == "#/scope"


@pytest.mark.parametrize(
    ("scope", "names"),
    [
        ("swift", ["swift-1", "swift-2"]),
        ("-swift", ["deep-1"]),
        ("-avocet", ["deep-1", "swift-1"]),
        ("swift -heron", ["swift-2"]),
        ("-Skerry", []),
        ("array:heron-1 array:avocet-2", ["deep-1", "swift-1", "swift-2"]),
        ("state:over state:clear", ["deep-1", "swift-1", "swift-2"]),
        ("-state:clear", ["deep-1"]),
    ],
)
def test_words_of_a_sift_mean_what_they_say(api, make_pool, refresh_all, scope, names):
    make_pool("swift-1")
    make_pool("swift-2", array="avocet-2")
    make_pool("deep-1", used_tib=95)
    refresh_all()
    told = api.get("/pools", scope=scope).json()["results"]
    assert sorted(row["name"] for row in told) == names


def test_a_read_that_takes_too_long_is_ended_and_says_so(api, make_pool, monkeypatch):
    make_pool()
    with connection.cursor() as cursor:
        cursor.execute("SET LOCAL statement_timeout = '50ms'")
    monkeypatch.setattr(
        "keelmark.estate.selectors.pools_for",
        lambda *_args, **_kw: Pool.objects.extra(where=["pg_sleep(2) IS NOT NULL"]),
    )
    told = api.get("/facets")
    assert (told.status_code, told.json()["type"]) == (503, "/problems/too-costly")
    assert told["Retry-After"]


def test_requests_carry_a_statement_timeout_and_workers_do_not():
    import os
    import subprocess
    import sys

    from keelmark.config.state import PROJECT

    script = (
        "from keelmark.cli.django import ready_django; ready_django(); "
        "from django.conf import settings; print(settings.DATABASES['default']['OPTIONS'])"
    )
    for pool_of, wanted in (("1", True), ("", False)):
        told = subprocess.run(
            [sys.executable, "-c", script], capture_output=True, text=True, cwd=PROJECT,
            env={**os.environ, "KEEL_POOL": pool_of}, check=True,
        )  # fmt: skip
        assert ("statement_timeout=10s" in told.stdout) == wanted


def chain_of_a_tenant(n_disks=1):
    from keelmark.estate.documents import ProjectDocument, TenantDocument

    documents = [
        CLUSTER, array(), pool(), host(), volume(), store(),
        TenantDocument(uid="id.t", name="Tide Gauges", read_at=NOW),
        ProjectDocument(uid="id.p", name="gauges", tenant_uid="id.t", read_at=NOW),
        vm(project_uid="id.p"), disk(),
    ]  # fmt: skip
    import_documents(documents, into=Imported())


def flat(knot: Knot) -> list[Knot]:
    return [knot, *(one for below in knot.below for one in flat(below))]


def test_a_tenant_viewer_learns_nothing_of_what_is_shared(db):
    chain_of_a_tenant()
    viewer = ensure_person(name="v", password="neap-tide", role=Role.TENANT_VIEWER)
    viewer.membership.tenants.set([Entity.objects.get(uid="id.t").pk])
    own = Entity.objects.get(kind="vm")
    told = signed_in(viewer).get(f"/api/v1/trace?name={own.name}").content.decode()
    chain = trace(own, seen=things_ever_for(viewer))
    kinds = [(one.kind, bool(one.name), one.size_bytes) for one in flat(chain)]
    assert kinds[0][:2] == ("vm", True)
    assert [kind for kind, is_named, _ in kinds if is_named] == ["vm", "disk"]
    shared = Entity.objects.filter(kind__in=["datastore", "volume", "pool", "array"])
    assert shared.count() == 4
    for thing in shared:
        assert thing.uid not in told
        assert f'"{thing.name}"' not in told
    whole = trace(own, seen=things_ever())
    assert {"datastore", "volume", "pool", "array"} <= {one.kind for one in flat(whole)}


def test_a_pool_backed_by_itself_is_walked_once(db):
    import_documents([array(), pool(), volume()], into=Imported())
    lower = Entity.objects.get(kind="volume")
    backed = Pool.objects.get()
    for side in range(8):
        PoolBacking.objects.create(
            pool=backed, target=lower, wanted_uid=f"naa.way{side}", mirror_side=f"{side}"
        )
    told = flat(trace(backed.entity, seen=things_ever()))
    assert len(told) < 50
    assert "goes round in a circle" in {one.note.split(",")[0] for one in told}


def test_a_chain_that_fans_out_is_cut_and_says_so(db):
    layers, width = 6, 8
    documents: list[Any] = [array()]
    for layer in range(layers):
        backing = [
            Backing(volume_uid=f"naa.l{layer - 1}v{n}", mirror_side="a") for n in range(width)
        ]
        told = {"backed_by": backing} if layer else {}
        documents.append(pool(uid=f"uuid.l{layer}", name=f"l{layer}", **told))
        documents += [
            volume(uid=f"naa.l{layer}v{n}", name=f"v{layer}.{n}", pool_uid=f"uuid.l{layer}")
            for n in range(width)
        ]
    import_documents(documents, into=Imported())
    told = flat(trace(Entity.objects.get(uid=f"uuid.l{layers - 1}"), seen=things_ever()))
    assert len(told) < 4000
    assert "not followed further" in {one.note.split(",")[0] for one in told}


JSON = "application/json"


@pytest.mark.parametrize(
    ("method", "path", "body", "content_type"),
    [
        ("GET", "/pools?cursor=nonsense", "", JSON),
        ("GET", "/pools?cursor=cD0lMDA=", "", JSON),
        ("GET", "/pools?cursor=cD1hYmM=", "", JSON),
        ("GET", "/runs?cursor=cD1ub3doZXJl", "", JSON),
        ("GET", "/trace?name=a%00b", "", JSON),
        ("GET", "/pools?scope=a%00b", "", JSON),
        ("GET", "/pools?scope=%ff", "", JSON),
        ("GET", "/audit?by=%00", "", JSON),
        ("POST", "/session", '{"name": "a\\u0000", "password": "x"}', JSON),
        ("POST", "/placements", '{"n_copies": 1e999999999}', JSON),
        ("POST", "/placements", '{"n_copies": NaN}', JSON),
        ("POST", "/placements", "[" * 100_000, JSON),
        ("POST", "/placements", '{"scope": ' + "[" * 30 + "]" * 30 + "}", JSON),
        ("POST", "/placements", '{"n_copies": ' + "9" * 10_000 + "}", JSON),
        ("POST", "/placements", b'{"scope": "\xff"}', JSON),
        ("POST", "/placements", "{}", "application/json; charset=nonsense"),
        ("POST", "/placements", '{"scope": "\\ud800"}', JSON),
        ("POST", "/feeds", json.dumps({"name": "x", "protocol": "redfish",
                                       "addresses": ["http://[::1/"]}), JSON),
        ("POST", "/feeds", json.dumps({"name": "x", "protocol": "s3", "addresses": ["http://h"],
                                       "options": {"nothing": 1}}), JSON),
        ("PUT", "/reference-vm", '{"n_cpus": 1, "memory_bytes": 1e400, "disk_bytes": 1}', JSON),
    ],
)  # fmt: skip
def test_bad_input_is_refused_with_its_reason(api, method, path, body, content_type):
    answer = api.client.generic(
        method, f"/api/v1{path}", body, content_type=content_type, headers={"If-Match": "*"}
    )
    assert 400 <= answer.status_code < 500, answer.content
    assert answer["Content-Type"] == "application/problem+json"
    assert len(answer.json()["detail"]) > 10


@pytest.mark.parametrize("path", ["/marks/{}", "/pools/{}", "/soundings/{}", "/limits/{}"])
def test_ids_that_nothing_can_have_are_not_found(api, path):
    for big in ("9" * 19, "9" * 30):
        assert api.get(path.format(big)).status_code == 404


@pytest.mark.parametrize(
    ("cell", "told"),
    [
        *((f"{start}cmd|' /C x'!A0", f"'{start}cmd|' /C x'!A0") for start in "=+-@\t\r\n"),
        *((f"{start}SUM(A1)", f"'{start}SUM(A1)") for start in "\uff1d\uff0b\uff0d\uff20"),
        ("  =1+1", "'  =1+1"),
        ("swift-1", "swift-1"),
        (-5, -5),
        (None, None),
    ],
)
def test_no_cell_of_an_export_is_run_by_a_sheet(cell, told):
    assert safe_cell(cell) == told


def test_the_schema_needs_a_sign_in(api, client):
    assert client.get("/api/v1/openapi.json").status_code == 401
    assert api.get("/openapi.json").status_code == 200
