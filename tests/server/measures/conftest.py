import pytest

from keelmark.estate.models import Entity
from tests.server.conftest import for_a_module
from tests.server.measures.estate import bring_in


@pytest.fixture(scope="module")
def ground(django_db_setup, django_db_blocker):
    """An array of two pools with a volume each, and a cluster of two hosts with three VMs."""
    with for_a_module(django_db_blocker):
        bring_in()
        yield dict(Entity.objects.values_list("uid", "pk"))


@pytest.fixture
def estate(ground, db):
    return ground
