"""A small cluster for all that is planned; what each test writes is undone."""

from collections.abc import Iterator
from typing import Any

import pytest

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person
from keelmark.core.units import TIB
from keelmark.estate.documents import PoolDocument
from tests.server.cluster import READ_AT, make_cluster, tell
from tests.server.conftest import Api, for_a_module, signed_in


@pytest.fixture(scope="module")
def cluster(django_db_setup: None, django_db_blocker: Any) -> Iterator[dict[str, int]]:
    with for_a_module(django_db_blocker):
        told = make_cluster()
        tell(
            PoolDocument(uid="uuid.p", array_uid="serial.h", name="swift-1", usable_bytes=20 * TIB,
                         used_bytes=8 * TIB, provisioned_bytes=10 * TIB, read_at=READ_AT)
        )  # fmt: skip
        yield told


@pytest.fixture(autouse=True)
def _picture_as_built(settings: Any) -> None:
    """Nothing is brought in unless a test tells it, and then it looks at it anew."""
    settings.PICTURE_IS_MADE_WHEN_ASKED = False


@pytest.fixture
def estate(cluster: dict[str, int], db: None) -> dict[str, int]:
    return cluster


@pytest.fixture
def mate(db: None) -> Api:
    """Another planner of the team."""
    return Api(signed_in(ensure_person(name="mate", password="neap-tide", role=Role.PLANNER)))
