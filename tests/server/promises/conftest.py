"""A small cluster for all that is promised; what each test writes is undone."""

from collections.abc import Iterator
from typing import Any

import pytest

from tests.server.cluster import make_cluster
from tests.server.conftest import for_a_module


@pytest.fixture(scope="module")
def cluster(django_db_setup: None, django_db_blocker: Any) -> Iterator[dict[str, int]]:
    with for_a_module(django_db_blocker):
        yield make_cluster(is_forecast=False)


@pytest.fixture
def estate(cluster: dict[str, int], db: None) -> dict[str, int]:
    return cluster
