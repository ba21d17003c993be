"""Object storage of the estate, served by a general-purpose simulator of the protocol."""

import hashlib
from datetime import UTC, datetime, timedelta

import boto3
from moto.core.models import DEFAULT_ACCOUNT_ID
from moto.moto_server.threaded_moto_server import ThreadedMotoServer
from moto.s3.models import s3_backends

BUCKETS = {
    "scenes-raw": (1800, 9_000_000, ("GLACIER", "STANDARD_IA", "STANDARD")),
    "scenes-products": (900, 3_500_000, ("STANDARD", "STANDARD_IA")),
    "chart-tiles": (2600, 220_000, ("STANDARD",)),
    "gauge-exports": (400, 60_000, ("STANDARD", "GLACIER")),
}
ACCOUNT = "satellite"  # as the feed of the demo calls it
TIERS = {"STANDARD": "hot", "STANDARD_IA": "warm", "GLACIER": "cold"}
USER, PASSWORD = "planner-ro", "low-water"  # a stand-in's, printed by the demo


def serve_objects(*, port: int, now: datetime) -> ThreadedMotoServer:
    """Start the server with its buckets filled; objects are as old as their keys say."""
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=port, verbose=False)
    server.start()
    host, own_port = server.get_host_and_port()
    fill(f"http://{host}:{own_port}", now=now)
    return server


def fill(url: str, *, now: datetime, scale: float = 1.0) -> None:
    """Make the buckets: sizes and ages follow from the keys, so that they can be checked."""
    client = boto3.client(
        "s3", endpoint_url=url, aws_access_key_id=USER, aws_secret_access_key=PASSWORD,
        region_name="us-east-1",
    )  # fmt: skip
    backend = s3_backends[DEFAULT_ACCOUNT_ID]["aws"]
    for name, (n_objects, mean_bytes, classes) in BUCKETS.items():
        client.create_bucket(Bucket=name)
        for number in range(int(n_objects * scale)):
            key = f"{number:06d}"
            one = backend.put_object(name, key, b"x", storage=classes[number % len(classes)])
            written = now - timedelta(days=age_days(name, key))
            one.last_modified = written.astimezone(UTC).replace(tzinfo=None)
            # The simulator holds one byte; the listing tells what the object would have.
            one.contentsize = size_bytes(name, key, mean_bytes=mean_bytes)


def age_days(bucket: str, key: str) -> int:
    """Return how old an object is."""
    return _number(f"age/{bucket}/{key}") % 700


def size_bytes(bucket: str, key: str, *, mean_bytes: int) -> int:
    """Return how large an object is."""
    return 1 + _number(f"size/{bucket}/{key}") % (2 * mean_bytes)


def _number(text: str) -> int:
    return int.from_bytes(hashlib.sha256(text.encode()).digest()[:6], "big")
