"""The books of a thing at a bearing, as every page tells them."""

from datetime import timedelta

import pytest

from keelmark.core.units import GIB, TIB
from tests.server.cluster import make_cluster
from tests.server.conftest import NOW, for_a_module


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        yield make_cluster()


@pytest.fixture
def estate(cluster, db):
    return cluster


def ledger(api, pk, **query):
    return api.get(f"/estate/things/{pk}", **query).json()["ledger"]


@pytest.mark.parametrize(
    ("uid", "size_name", "usable", "used"),
    [
        ("uuid.p", "usable", 20 * TIB, 8 * TIB),
        ("serial.h", "usable", 20 * TIB, 8 * TIB),
        ("uuid.s", "size", 10 * TIB, 6 * TIB),
        ("id.kelp", "size", 10 * TIB, 6 * TIB),
        ("naa.1", "size", 10 * TIB, 8 * TIB),
    ],
)
def test_books_are_told_of_all_that_has_a_size(api, estate, uid, size_name, usable, used):
    told = ledger(api, estate[uid])
    assert told["size_name"] == size_name
    assert (told["usable_bytes"], told["used_bytes"]) == (usable, used)
    assert told["free_bytes"] == usable - used
    (of_used,) = [one for one in told["workings"] if one["figure"] == "used"]
    assert of_used["steps"][1] == {
        "label": f"of {size_name}", "sign": "", "amount": usable, "text": "", "on": None,
        "is_result": False,
    }  # fmt: skip


def test_what_is_not_shared_out_promises_nothing(api, estate):
    told = ledger(api, estate["naa.1"])
    assert told["is_shared_out"] is False
    assert {told[name] for name in ("plannable_bytes", "provisioned_bytes", "exposure_bytes")} == {
        None
    }
    assert [one["figure"] for one in told["workings"]] == ["used", "free"]


@pytest.mark.parametrize("uid", ["uuid.v0", "id.seabed", "wwn.h1"])
def test_what_nothing_ends_has_no_books(api, estate, uid):
    assert ledger(api, estate[uid]) is None


def test_books_of_another_day_are_those_of_then(api, estate):
    then = (NOW - timedelta(days=30)).date().isoformat()
    past = ledger(api, estate["uuid.p"], at=then)
    assert past["used_bytes"] == 8 * TIB - 30 * 20 * GIB
    assert past["plannable_bytes"] is None  # of then nobody keeps what was reserved
    assert "plannable" not in [one["figure"] for one in past["workings"]]
    ahead = (NOW + timedelta(days=60)).date().isoformat()
    likely = ledger(api, estate["uuid.p"], at=ahead)
    bad = ledger(api, estate["uuid.p"], at=ahead, q="bad")
    assert 8 * TIB < likely["used_bytes"] <= bad["used_bytes"]
    line = 20 * TIB * likely["limit_percent"] // 100
    assert likely["plannable_bytes"] == line - likely["used_bytes"]


def test_books_and_list_tell_the_same(api, estate):
    rows = api.get("/estate/rows/datastore", columns="used,size,plannable,exposure").json()
    (row,) = [one for one in rows["results"] if one["id"] == estate["uuid.s"]]
    told = ledger(api, estate["uuid.s"])
    assert row["cells"] == {
        "used": told["used_bytes"], "size": told["usable_bytes"],
        "plannable": told["plannable_bytes"], "exposure": told["exposure_bytes"],
    }  # fmt: skip
