"""A stand-in and a signed-in client in front of it."""

import httpx
import pytest

from tests.conftest import PASSWORD, USER


@pytest.fixture
def heron(standin):
    return standin("heron-1")


@pytest.fixture
def signed_in(heron):
    with httpx.Client(base_url=heron.url, auth=(USER, PASSWORD), trust_env=False) as client:
        yield client


@pytest.fixture
def ask(signed_in):
    return signed_in.get
