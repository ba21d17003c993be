"""A small cluster whose disks did something all yesterday, and a tier that all of them are in."""

from collections.abc import Iterator
from typing import Any

import pytest

from tests.server.cluster import do_all_day, make_cluster
from tests.server.conftest import Api, for_a_module
from tests.server.tiers.tiering import DONE, YESTERDAY, drawn_up, named


@pytest.fixture(scope="module")
def cluster(django_db_setup: None, django_db_blocker: Any) -> Iterator[dict[str, int]]:
    with for_a_module(django_db_blocker):
        ids = make_cluster(is_forecast=False)
        do_all_day({ids[f"path.v{n}:a"]: did for n, did in DONE.items()}, on=YESTERDAY)
        yield ids


@pytest.fixture
def estate(cluster: dict[str, int], db: None) -> dict[str, int]:
    return cluster


@pytest.fixture
def slack(api: Api, estate: dict[str, int]) -> dict[str, Any]:
    tier: dict[str, Any] = drawn_up(api)
    named(api, tier, *(estate[f"uuid.v{n}"] for n in range(5)))
    return tier
