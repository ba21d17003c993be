"""Scenarios over the API, for tests."""

from datetime import timedelta

from keelmark.core.units import GIB, TIB
from tests.server.conftest import TODAY


def ahead(days):
    return (TODAY + timedelta(days=days)).isoformat()


def place(estate, *, on=7, **fields):
    """Five VMs of a tebibyte on the pool."""
    return {
        "on": ahead(on), "kind": "place",
        "fields": {
            "name": "sonar-new", "n_vms": 5, "to": estate["uuid.p"],
            "cluster": estate["id.kelp"], "n_cpus": 2, "memory_bytes": GIB,
            "disks": [{"size_bytes": TIB, "written_percent": 50, "bytes_a_week": 7 * GIB}],
            **fields,
        },
    }  # fmt: skip


def extend(estate, *, on=3, **fields):
    """The pool grows."""
    told = {"pool": estate["uuid.p"], "added_bytes": 10 * TIB, "cost": 900, **fields}
    return {"on": ahead(on), "kind": "extend_pool", "fields": told}


def free(estate, *what, on=5):
    """Things go."""
    return {"on": ahead(on), "kind": "free", "fields": {"what": [estate[uid] for uid in what]}}


def drawn_up(api, *moves, name="Spring intake", **more):
    told = api.send("POST", "/scenarios", name=name, moves=list(moves), **more)
    assert told.status_code == 201, told.content
    return told.json()


def outcome(api, scenario, *, days=90, **query):
    told = api.get(f"/scenarios/{scenario['id']}/outcome", at=ahead(days), **query)
    assert told.status_code == 200, told.content
    return told.json()
