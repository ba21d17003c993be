"""One way in for every far end: an address goes in, estate documents come out."""

from collections.abc import Callable
from dataclasses import replace

from keelmark.estate.models import Protocol
from keelmark.feeds.addresses import FORMS, cleaned
from keelmark.feeds.errors import NoCollectorError
from keelmark.feeds.far_end import Collection, FarEnd, Progress, check_address

Collector = Callable[[FarEnd, Progress], Collection]


def collect(
    protocol: Protocol, far_end: FarEnd, *, progress: Progress, body: bytes | None = None
) -> Collection:
    """Return everything of a far end, or raise a CollectError; never a part unsaid."""
    if body is not None:
        from keelmark.feeds.push import collect_body

        return collect_body(body)
    if protocol not in FORMS:
        raise NoCollectorError(protocol=protocol)
    addresses = tuple(cleaned(protocol, address) for address in far_end.addresses)
    for address in addresses:
        check_address(address)
    guarded = replace(far_end, addresses=addresses, is_guarded=True)
    return collector_of(protocol)(guarded, progress)


def collector_of(protocol: Protocol) -> Collector:
    """Return the collector of a protocol; some need packages that may be missing."""
    match protocol:
        case Protocol.REDFISH:
            from keelmark.feeds.redfish.walk import collect_array

            return collect_array
        case Protocol.LIBVIRT:
            from keelmark.feeds.hypervisor.walk import collect_hosts

            return collect_hosts
        case Protocol.OPENMETRICS:
            from keelmark.feeds.metrics.scrape import collect_metrics

            return collect_metrics
        case Protocol.S3:
            from keelmark.feeds.objects.listing import collect_buckets

            return collect_buckets
    raise NoCollectorError(protocol=protocol)
