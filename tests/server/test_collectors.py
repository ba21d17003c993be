"""Collectors of the other protocols, each against its stand-in or its real partner."""

import asyncio
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime

import pytest

from keelmark.estate.documents import (
    BucketDocument,
    CompleteDocument,
    CountersDocument,
    DatastoreDocument,
    HostDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
)
from keelmark.estate.models import Protocol
from keelmark.feeds.collectors import collect
from keelmark.feeds.errors import (
    AddressError,
    AnswerError,
    CertificateError,
    OptionsError,
    SignInError,
    UnreachableError,
)
from keelmark.feeds.far_end import FarEnd, check_address, trust_of
from keelmark.feeds.hypervisor import walk
from keelmark.feeds.metrics.scrape import samples_in, scraped
from keelmark.feeds.objects import listing
from keelmark.feeds.redfish.client import open_reader
from standins.estate import make_estate
from standins.exporter import Exporter
from standins.flow import Flow
from standins.holding import held_bytes
from standins.libvirt_xml import write_hosts
from standins.objects import BUCKETS, age_days, fill, size_bytes
from standins.redfish.service import Service
from tests.certificates import make_authority
from tests.conftest import ANCHOR_ON, NOW, PASSWORD, USER, running

RULES = [
    {"metric": "volume_reads_total", "fills": "read_ops", "label": "wwn", "form": "naa"},
    {"metric": "vm_reads_total", "fills": "read_ops", "label": "vm", "form": "uuid"},
]


def quiet(step: str, n_read: int) -> None:
    pass


def of(collection, kind):
    return [d for d in collection.documents if isinstance(d, kind)]


@pytest.fixture
def estate():
    return make_estate(size="small", anchor_on=ANCHOR_ON)


@pytest.fixture
def hosts(estate, tmp_path, settings):
    settings.FEED_TEST_FILES = str(tmp_path)
    return write_hosts(
        estate, folder=tmp_path, day=estate.day_of(NOW), epoch_seconds=int(NOW.timestamp())
    )


def far_end_of(hosts, **changes):
    addresses = tuple(f"test://{path}" for path in hosts)
    return FarEnd(addresses=addresses, options={"cluster": "kelp", "site": "Skerry"}, **changes)


def test_a_cluster_comes_whole_and_to_the_byte(estate, hosts):
    told = collect(Protocol.LIBVIRT, far_end_of(hosts), progress=quiet)
    cluster = estate.clusters[0]
    assert {h.name for h in of(told, HostDocument)} == {"kelp-1", "kelp-2"}
    assert len(of(told, VirtualMachineDocument)) == len(cluster.machines)
    off = {vm.name for vm in of(told, VirtualMachineDocument) if vm.power == "off"}
    assert off == {m.name for m in cluster.machines if not m.is_on}
    disks = {(d.path, d.size_bytes, d.on_array_bytes) for d in of(told, VirtualDiskDocument)}
    day = estate.day_of(NOW)
    from standins.arrays import written_bytes

    assert disks == {
        (d.path, d.size_bytes, held_bytes(d, written=written_bytes(d.datastore.volume, day=day)))
        for m in cluster.machines
        for d in m.disks
    }
    stores = {d.name: d for d in of(told, DatastoreDocument)}
    for store in cluster.datastores:
        kept = stores[store.name]
        server, path = store.export
        wanted = f"path.nfs:{server}:{path}" if store.is_nfs else f"naa.{store.volume.naa}"
        assert (kept.extents, len(kept.seen_by)) == ([wanted], 2)


def test_a_host_that_does_not_answer_leaves_the_others_their_say(hosts):
    hosts[0].unlink()
    told = collect(Protocol.LIBVIRT, far_end_of(hosts), progress=quiet)
    assert [h.name for h in of(told, HostDocument)] == ["kelp-2"]
    assert told.warnings[0].startswith("Host kelp-1 left out, its last good state stands")
    assert str(hosts[0].parent) not in told.warnings[0]
    assert [c.of_uid for c in of(told, CompleteDocument)] == [of(told, HostDocument)[0].uid]


def test_no_host_at_all_fails_in_words(hosts):
    for path in hosts:
        path.unlink()
    with pytest.raises(UnreachableError, match=r"kelp-1\.xml"):
        collect(Protocol.LIBVIRT, far_end_of(hosts), progress=quiet)


def test_a_host_that_hangs_is_given_up_in_time(hosts, monkeypatch, tmp_path):
    slow = tmp_path / "slow.py"
    slow.write_text("import time; time.sleep(60)\n")
    real = subprocess.run

    def hanging(command, **how):
        return real([sys.executable, str(slow)], **how)

    monkeypatch.setattr(walk.subprocess, "run", hanging)
    with pytest.raises(UnreachableError, match=r"no answer within 0\.5 s"):
        collect(Protocol.LIBVIRT, far_end_of(hosts, timeout_seconds=0.5), progress=quiet)


@pytest.fixture
def exporter(estate):
    clock = [NOW]
    service = Exporter(
        estate, now=lambda: clock[0], flow=Flow(estate, since=estate.day_of(clock[0]))
    )
    with running(service.app()) as url:
        yield service, f"{url}/metrics", clock


def test_counters_are_mapped_to_things_by_their_labels(estate, exporter):
    _, url, _ = exporter
    far_end = FarEnd(addresses=(url,), options={"rules": RULES})
    told = of(collect(Protocol.OPENMETRICS, far_end, progress=quiet), CountersDocument)
    volumes = [v.naa for a in estate.arrays if not a.story.is_busy for p in a.pools
               for v in p.volumes]  # fmt: skip
    machines = [m.uuid for m in estate.clusters[0].machines if m.is_on]
    wanted = {f"naa.{n}" for n in volumes} | {f"uuid.{u}" for u in machines}
    assert {d.uid for d in told} == wanted
    unmapped = {f"naa.{v.naa}" for a in estate.arrays for p in a.pools for v in p.volumes
                if not v.is_mapped}  # fmt: skip
    assert {d.uid for d in told if d.read_ops == 0} == unmapped & wanted


@pytest.mark.parametrize(
    ("text", "n_samples"),
    [("# TYPE a counter\na_total 3\n# EOF\n", 1), ("# EOF\n", 0)],
)
def test_an_exposition_is_read_sample_by_sample(text, n_samples):
    told, _ = samples_in(text, content_type="application/openmetrics-text; version=1.0.0")
    assert len(told) == n_samples


@pytest.mark.parametrize(
    ("rules", "told"),
    [(None, "are missing"), ([{"metric": "a", "fills": "colour"}], "fill colour")],
)
def test_rules_that_map_nothing_are_refused(rules, told):
    far_end = FarEnd(addresses=("http://127.0.0.1:1/",), options={"rules": rules})
    with pytest.raises(OptionsError, match=told):
        collect(Protocol.OPENMETRICS, far_end, progress=quiet)


def test_a_page_that_is_no_exposition_is_told():
    from starlette.applications import Starlette
    from starlette.responses import PlainTextResponse
    from starlette.routing import Route

    async def page(request):
        return PlainTextResponse("<html>", media_type="application/openmetrics-text")

    with running(Starlette(routes=[Route("/metrics", page)])) as url:
        far_end = FarEnd(addresses=(f"{url}/metrics",), options={"rules": RULES})
        with pytest.raises(AnswerError, match="no OpenMetrics text"):
            collect(Protocol.OPENMETRICS, far_end, progress=quiet)


@pytest.fixture(scope="module")
def objects():
    from moto.moto_server.threaded_moto_server import ThreadedMotoServer

    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    fill(f"http://{host}:{port}", now=datetime.now(UTC), scale=0.6)
    yield f"http://{host}:{port}"
    server.stop()


def object_store(url, **options):
    return FarEnd(
        addresses=(url,), user=USER, password=PASSWORD, options={"account": "satellite", **options}
    )


def test_buckets_are_counted_by_tier_and_age_to_the_byte(objects):
    told = collect(Protocol.S3, object_store(objects), progress=quiet)
    buckets = {b.name: b for b in of(told, BucketDocument)}
    assert buckets.keys() == BUCKETS.keys()
    for name, (n_objects, mean, _) in BUCKETS.items():
        keys = [f"{k:06d}" for k in range(int(n_objects * 0.6))]
        sizes = {key: size_bytes(name, key, mean_bytes=mean) for key in keys}
        assert (buckets[name].n_objects, buckets[name].used_bytes) == (
            len(keys), sum(sizes.values()),
        )  # fmt: skip
        old = sum(s.n_bytes for s in buckets[name].shares if s.from_days == 365)
        told = [(one.n_bytes, one.key) for one in buckets[name].largest]
        assert told == sorted(((n, key) for key, n in sizes.items()), reverse=True)[:25]
        assert old == sum(size for key, size in sizes.items() if age_days(name, key) >= 365)


def test_a_listing_that_ran_out_of_time_goes_on_where_it_stopped(objects, monkeypatch):
    whole = collect(Protocol.S3, object_store(objects, buckets=["chart-tiles"]), progress=quiet)
    answers = iter([False, True])  # out of time after the first page
    monkeypatch.setattr(listing._Listing, "_is_out_of_time", lambda _: next(answers, False))
    part = collect(Protocol.S3, object_store(objects, buckets=["chart-tiles"]), progress=quiet)
    assert of(part, BucketDocument) == []
    assert part.warnings == ["Bucket chart-tiles is counted up to “000999”."]
    store = object_store(objects, buckets=["chart-tiles"], bookmark=part.bookmark)
    rest = of(collect(Protocol.S3, store, progress=quiet), BucketDocument)[0]
    first = of(whole, BucketDocument)[0]
    assert (rest.n_objects, rest.shares) == (first.n_objects, first.shares)
    assert rest.largest == first.largest


def test_a_bucket_that_was_counted_lately_is_left_alone(objects):
    first = collect(Protocol.S3, object_store(objects), progress=quiet)
    again = collect(Protocol.S3, object_store(objects, bookmark=first.bookmark), progress=quiet)
    assert of(again, BucketDocument) == []
    assert of(again, CompleteDocument) == []


def test_an_object_store_that_is_away_is_told():
    with pytest.raises(UnreachableError):
        collect(Protocol.S3, object_store("http://127.0.0.1:1"), progress=quiet)


@pytest.mark.parametrize(
    ("url", "told"),
    [
        ("http://169.254.169.254/latest", "outside the networks"),
        ("http://[fe80::1]/", "outside the networks"),
        ("http://0.0.0.0/", "outside the networks"),
        ("http://[::ffff:10.0.0.1]/", "outside the networks"),
        ("http:///x", "names no host"),
        ("http://[2002:a9fe:a9fe::1]/", "outside the networks"),
    ],
)
def test_a_feed_cannot_be_pointed_where_it_should_not(url, told):
    with pytest.raises(AddressError, match=told):
        check_address(url)


@pytest.mark.parametrize("url", ["http://127.0.0.1/", "http://localhost/", "http://10.1.2.3/"])
def test_without_a_list_private_networks_are_open_and_loopback_is_not(url, settings):
    settings.FEED_NETWORKS = []
    if "10." in url:
        check_address(url)
    else:
        with pytest.raises(AddressError):
            check_address(url)


def test_a_name_that_leads_elsewhere_when_it_is_connected_to_is_refused(standin, settings):
    url = standin().url
    settings.FEED_NETWORKS = ["10.0.0.0/8"]  # as if the name had led there when it was checked
    with pytest.raises(AddressError, match=r"led to 127\.0\.0\.1"):
        scraped(FarEnd(addresses=(url,), is_guarded=True))

    async def read() -> None:
        async with open_reader(url, user=USER, password=PASSWORD, is_guarded=True):
            pytest.fail("it was let in")

    # A thread of its own: a browser test before this one may have left a loop under way.
    with (
        ThreadPoolExecutor(1) as thread,
        pytest.raises(AddressError, match=r"led to 127\.0\.0\.1"),
    ):
        thread.submit(asyncio.run, read()).result()


def test_a_wrong_sign_in_at_an_exporter_is_told():
    from starlette.applications import Starlette
    from starlette.responses import PlainTextResponse
    from starlette.routing import Route

    async def refuse(request):
        return PlainTextResponse("no", status_code=401)

    with running(Starlette(routes=[Route("/metrics", refuse)])) as url:
        far_end = FarEnd(addresses=(f"{url}/metrics",), user="u", options={"rules": RULES})
        with pytest.raises(SignInError):
            collect(Protocol.OPENMETRICS, far_end, progress=quiet)


@pytest.fixture(scope="module")
def authority(tmp_path_factory):
    return make_authority(tmp_path_factory.mktemp("tls"))


@pytest.mark.parametrize("protocol", [Protocol.REDFISH, Protocol.OPENMETRICS, Protocol.S3])
def test_only_a_trusted_authority_is_believed(authority, estate, protocol):
    ca, tls = authority
    service = Service(estate, array=estate.arrays[0], user=USER, password=PASSWORD,
                      now=lambda: NOW)  # fmt: skip
    exporter = Exporter(estate, now=lambda: NOW, flow=Flow(estate, since=estate.day_of(NOW)))
    app = service.app() if protocol == Protocol.REDFISH else exporter.app()
    with running(app, **tls) as url:
        address = f"{url}/metrics" if protocol == Protocol.OPENMETRICS else url
        far_end = FarEnd(addresses=(address,), user=USER, password=PASSWORD,
                         options={"rules": RULES}, back_off_seconds=0.01)  # fmt: skip
        with pytest.raises(UnreachableError, match="not signed by an authority"):
            collect(protocol, far_end, progress=quiet)
        trusting = replace(far_end, ca_certificate=ca)
        if protocol == Protocol.S3:  # it is no object store behind it, but it is talked to
            with pytest.raises(AnswerError):
                collect(protocol, trusting, progress=quiet)
        else:
            assert collect(protocol, trusting, progress=quiet).documents


def test_an_authority_that_is_no_certificate_is_told():
    far_end = FarEnd(addresses=("https://127.0.0.1:1/",), ca_certificate="-----BEGIN nothing")
    with pytest.raises(CertificateError, match="cannot be read"):
        trust_of(far_end)
