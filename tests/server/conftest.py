"""Factories of the server tests; the database is the real one."""

import itertools
import json
from collections.abc import Callable, Generator, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import time_machine
from django.contrib.auth.models import User
from django.db import transaction
from django.test import Client
from django.test.utils import override_settings

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person
from keelmark.access.services.signing_in import CONFIRMED
from keelmark.core.units import TIB
from keelmark.estate.documents import ArrayDocument, Document, PoolDocument, ReadingsDocument
from keelmark.estate.models import Entity, Protocol
from keelmark.estate.services.delivery import ensure_source, open_delivery
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Feed
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.feeds.services.running import carry_out as carry_out_run
from keelmark.feeds.services.schedule import queue_run
from keelmark.forecasts.making.pools import refresh
from keelmark.readings.partitions import keep_partitions
from standins.estate import make_estate
from standins.redfish.service import Service
from tests.conftest import ANCHOR_ON, PASSWORD, USER, WRITER, RunningStandin

LONGEST = timedelta(hours=2)  # that all tests together ever take
BEGUN = datetime.now(UTC).replace(microsecond=0)
DAY_ENDS = datetime.combine(BEGUN.date(), datetime.min.time(), UTC) + timedelta(days=1)
# What tests make is dated by the day on which they began; so they begin early enough to end on it.
SHIFT = max(timedelta(0), BEGUN + LONGEST - DAY_ENDS)
NOW = BEGUN - SHIFT
TODAY = NOW.date()
N_DAYS = 120
_numbers = itertools.count(1)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol() -> Generator[None, object, object]:
    if not SHIFT:
        return (yield)
    with time_machine.travel(datetime.now(UTC) - SHIFT):
        return (yield)


@pytest.fixture
def planner(db: None) -> User:
    return ensure_person(name="planner", password="spring-tide", role=Role.PLANNER)


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup: None, django_db_blocker: Any) -> None:
    """The window of readings stands ready, as a worker makes it."""
    with django_db_blocker.unblock():
        keep_partitions(today=TODAY)


@contextmanager
def for_a_module(django_db_blocker: Any) -> Iterator[None]:
    """What is written within stands for all tests of a module, each of which undoes its own."""
    with django_db_blocker.unblock(), transaction.atomic():
        yield
        transaction.set_rollback(True)


def signed_in(person: User) -> Client:
    """A browser in which a person signed in a moment ago."""
    client = Client()
    client.force_login(person)
    confirm(client)
    return client


def confirm(client: Client) -> None:
    session = client.session
    session[CONFIRMED] = datetime.now(UTC).timestamp()
    session.save()


class Api:
    """A signed-in browser without the browser."""

    def __init__(self, client: Client) -> None:
        self.client = client

    def get(self, path: str, /, **query: Any) -> Any:
        return self.client.get(f"/api/v1{path}", query)

    def send(
        self, method: str, path: str, *, seen: str | None = "*", key: str = "", **body: Any
    ) -> Any:
        """Send a write, decided on the version that was seen; any, where nobody asks."""
        headers = {} if seen is None else {"If-Match": seen}
        headers |= {"Idempotency-Key": key} if key else {}
        return self.client.generic(
            method, f"/api/v1{path}", json.dumps(body), content_type="application/json",
            headers=headers,
        )  # fmt: skip


@pytest.fixture(autouse=True)
def _quick_passwords(settings: Any) -> None:
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture
def api(planner: User) -> Api:
    return Api(signed_in(planner))


@pytest.fixture(autouse=True)
def _no_waiting(settings: Any) -> None:
    settings.FEED_BACK_OFF_SECONDS = 0.01
    settings.PICTURE_IS_MADE_WHEN_ASKED = True  # no worker makes one
    settings.FEED_NETWORKS = ["127.0.0.0/8", "::1/128"]  # the stand-ins' own


def bring_pool(
    name: str = "swift-1",
    *,
    array: str = "heron-1",
    site: str = "Skerry",
    service_class: str = "Swift",
    usable_tib: float = 100,
    used_tib: float = 40,
    growth_tib: float = 0.0,
    provisioned_tib: float | None = 110,
    age: timedelta = timedelta(0),
) -> int:
    """Import a pool with its readings; return its id."""
    read_at = NOW - age
    uid = f"uuid.pool-{next(_numbers)}"
    used = [round((used_tib - growth_tib * back) * TIB) for back in range(N_DAYS, -1, -1)]
    into = Imported()
    import_documents(
        [
            ArrayDocument(uid=f"serial.{array}", name=array, site=site, read_at=read_at),
            PoolDocument(
                uid=uid,
                array_uid=f"serial.{array}",
                name=name,
                service_class=service_class,
                usable_bytes=round(usable_tib * TIB),
                used_bytes=used[-1],
                provisioned_bytes=(
                    None if provisioned_tib is None else round(provisioned_tib * TIB)
                ),
                read_at=read_at,
            ),
            ReadingsDocument(
                uid=uid,
                first_on=(read_at - timedelta(days=N_DAYS)).date(),
                used_bytes=list(used),
                capacity_bytes=[round(usable_tib * TIB)] * len(used),
            ),
        ],
        into=into,
    )
    return Entity.objects.get(uid=uid).pk


@pytest.fixture
def make_pool(db: None) -> Callable[..., int]:
    """Make a pool with its readings; forecasts are made by `refresh_all`."""
    return bring_pool


@pytest.fixture
def refresh_all(db: None) -> Callable[[], int]:
    return lambda: refresh(now=NOW)


@pytest.fixture
def make_feed(db: None) -> Callable[..., Feed]:
    def make(url: str, *, name: str = "heron-1", password: str = PASSWORD) -> Feed:
        return ensure_feed(name=name, url=url, user=USER, password=password)

    return make


PROTOCOLS = {
    "array": Protocol.REDFISH, "hosts": Protocol.LIBVIRT, "more hosts": Protocol.LIBVIRT,
    "records": Protocol.FILE,
}  # fmt: skip


@pytest.fixture
def tell(db: None) -> Callable[..., Imported]:
    """Deliver documents as a source, by its name; each call is a delivery of its own."""

    def run(source: str, *documents: Document, may_wait: bool = False) -> Imported:
        own = ensure_source(name=source, protocol=PROTOCOLS[source])
        into = Imported(delivery=open_delivery(own), may_wait=may_wait)
        import_documents(documents, into=into)
        return into

    return run


@pytest.fixture(scope="module")
def array() -> Iterator[RunningStandin]:
    """An array at which something can be written."""
    estate = make_estate(size="small", anchor_on=ANCHOR_ON)
    heron = next(one for one in estate.arrays if one.name == "heron-1")
    service = Service(
        estate, array=heron, user=USER, password=PASSWORD, now=lambda: NOW, writer=WRITER
    )
    running = RunningStandin(service)
    yield running
    running.stop()


@pytest.fixture(scope="module")
def collected(
    array: RunningStandin, django_db_setup: None, django_db_blocker: Any
) -> Iterator[Feed]:
    """Its feed, once it is collected."""
    with for_a_module(django_db_blocker), override_settings(FEED_NETWORKS=["127.0.0.0/8"]):
        feed = ensure_feed(
            name="heron-1", url=array.url, user=USER, password=PASSWORD,
            writer_user=WRITER[0], writer_password=WRITER[1],
        )  # fmt: skip
        assert carry_out_run(run_id=queue_run(feed).pk).state == "done"
        yield feed


@pytest.fixture
def operator(db: None) -> Api:
    person = ensure_person(name="deckhand", password="spring-tide", role=Role.OPERATOR)
    return Api(signed_in(person))
