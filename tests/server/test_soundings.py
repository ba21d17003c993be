"""Readings of anything, by metric, as its page draws them."""

from datetime import timedelta

import pytest

from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    ArrayDocument,
    ClusterDocument,
    MeasuresDocument,
    PoolDocument,
    ReadingsDocument,
)
from keelmark.estate.models import Entity
from keelmark.feeds.importer import Imported, import_documents
from keelmark.forecasts.making.pools import refresh
from tests.server.conftest import NOW, TODAY

FIRST_ON = TODAY - timedelta(days=4)


@pytest.fixture
def estate(db):
    """An array of two pools, the second first read three days later and not on every day."""
    used = {"p1": [10, 11, 12, 13, 14], "p2": [20, None, 22, 23, None]}
    import_documents(
        [
            ArrayDocument(uid="serial.h", name="heron-1", site="Skerry", read_at=NOW),
            *(
                PoolDocument(uid=f"uuid.{name}", array_uid="serial.h", name=name,
                             usable_bytes=100 * TIB, used_bytes=30 * TIB, read_at=NOW)
                for name in used
            ),
            *(
                ReadingsDocument(
                    uid=f"uuid.{name}", first_on=FIRST_ON - timedelta(days=20),
                    used_bytes=[5 * TIB] * 20 + [x if x is None else x * TIB for x in told],
                )
                for name, told in used.items()
            ),
            ClusterDocument(uid="id.kelp", name="kelp", site="Skerry", read_at=NOW),
            MeasuresDocument(uid="id.kelp", measure="cpu", first_on=FIRST_ON,
                             amounts=[100, None, 104, 106, 108]),
            MeasuresDocument(uid="uuid.p1", measure="snapshots", first_on=FIRST_ON,
                             amounts=[GIB] * 5),
        ],
        into=Imported(),
    )  # fmt: skip


def ids():
    return dict(Entity.objects.values_list("name", "pk"))


def test_a_whole_is_the_sum_of_its_parts_with_their_gaps_bridged(estate, api):
    told = api.get(f"/soundings/{ids()['heron-1']}", days=4).json()
    assert told["first_on"] == (TODAY - timedelta(days=3)).isoformat()
    assert told["amounts"][:3] == [(11 + 22) * TIB, (12 + 22) * TIB, (13 + 23) * TIB]


def test_pools_are_told_with_their_array_wherever_they_are_parts_or_carriers(estate, api):
    refresh(now=NOW)
    told = api.get(f"/contributors/{ids()['heron-1']}", days=4).json()
    assert {(part["home_name"], part["entity"]["name"]) for part in told["parts"]} == {
        ("heron-1", "p1"), ("heron-1", "p2"),
    }  # fmt: skip
    limits = api.get(f"/limits/{ids()['p1']}").json()
    assert [(one["home_name"], one["entity"]["name"]) for one in limits] == [("heron-1", "p1")]


def test_a_measure_is_told_in_its_unit(estate, api):
    told = api.get(f"/soundings/{ids()['kelp']}", metric="cpu", days=5).json()
    assert (told["unit"], told["amounts"]) == ("CPUs", [100, None, 104, 106, 108])
    told = api.get(f"/soundings/{ids()['p1']}", metric="snapshots", days=2).json()
    assert told["amounts"] == [GIB, GIB]


def test_what_a_kind_has_no_readings_of_is_a_404_in_words(estate, api):
    answer = api.get(f"/soundings/{ids()['heron-1']}", metric="cpu")
    assert answer.status_code == 404
    assert answer.json()["detail"] == "Of array heron-1 no readings of cpu are kept."


def test_a_metric_that_is_none_is_refused_at_its_field(estate, api):
    answer = api.get(f"/soundings/{ids()['heron-1']}", metric="tide")
    assert answer.status_code == 400
    assert answer.json()["errors"][0]["pointer"] == "#/metric"


def test_a_forecast_names_its_site_and_lead_time(estate, api):
    refresh(now=NOW)
    Entity.objects.filter(kind="site").update(lead_time_days=60)
    told = api.get(f"/forecasts/{ids()['p1']}").json()
    assert (told["site_name"], told["lead_time_days"]) == ("Skerry", 60)
