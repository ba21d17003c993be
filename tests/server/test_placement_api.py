from datetime import timedelta

import pytest

from keelmark.core.units import TIB
from tests.server.conftest import TODAY

WORKLOAD = {
    "n_copies": 10,
    "size_bytes": TIB,
    "written_percent": 50,
    "growth_bytes_per_week": 0,
    "last_until_on": (TODAY + timedelta(days=90)).isoformat(),
}


@pytest.fixture
def pools(make_pool, refresh_all):
    ids = {
        "roomy": make_pool("swift-1", used_tib=20),
        "tight": make_pool("swift-2", used_tib=87),
        "deep": make_pool("deep-1", service_class="Deep", used_tib=10),
        "old": make_pool("swift-9", used_tib=10, age=timedelta(days=4)),
    }
    refresh_all()
    return ids


def test_candidates_are_ranked_and_the_rejected_say_by_how_much(api, pools):
    answer = api.send("POST", "/placements", **WORKLOAD, service_class="Swift").json()
    by_pool = {c["pool"]["id"]: c for c in answer["candidates"]}
    assert answer["n_fitting"] == 1
    assert answer["promised_bytes"] == 10 * TIB
    roomy = by_pool[pools["roomy"]]
    assert roomy["rank"] == 1
    assert roomy["left_bytes"] == pytest.approx(65 * TIB, rel=0.01)
    space = {m["hurdle"]: m for m in by_pool[pools["tight"]]["margins"]}["space"]
    assert not space["is_cleared"]
    assert space["margin_bytes"] == pytest.approx(-2 * TIB, rel=0.05)
    missed = {
        name: [m["hurdle"] for m in by_pool[pools[name]]["margins"] if not m["is_cleared"]]
        for name in ("deep", "old")
    }
    assert missed == {"deep": ["service_class"], "old": ["read"]}


def test_a_scope_limits_where_it_may_go(api, pools):
    answer = api.send("POST", "/placements", **WORKLOAD, scope="class:Deep").json()
    assert [c["pool"]["id"] for c in answer["candidates"]] == [pools["deep"]]


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("n_copies", 0),
        ("size_bytes", -1),
        ("size_bytes", 2**63),
        ("written_percent", 101),
        ("last_until_on", TODAY.isoformat()),
        ("last_until_on", "2199-01-01"),
        ("service_class", "Lukewarm"),
    ],
)
def test_a_wrong_field_is_named(api, pools, field, value):
    answer = api.send("POST", "/placements", **(WORKLOAD | {field: value}))
    assert answer.status_code == 400
    assert answer.json()["errors"][0]["pointer"] == f"#/{field}"


def test_more_than_64_bits_together_is_refused_in_words(api, pools):
    answer = api.send("POST", "/placements", **(WORKLOAD | {"size_bytes": 2**62}))
    assert answer.status_code == 422
    assert "8 EiB" in answer.json()["detail"]
