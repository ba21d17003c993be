"""What is told of object storage: tiers, ages, the largest objects."""

from collections import Counter
from dataclasses import replace
from datetime import UTC, datetime

from keelmark.bearings.selectors.details.section import Column, Row, Section, told
from keelmark.estate import models
from keelmark.estate.models import Entity, Kind

TIERS = ("hot", "warm", "cold")
MOST_LARGEST = 50
SINCE = {"access": "since they were last read or written", "write": "since they were written"}


def tiers(entity: Entity) -> Section | None:
    """Return bytes and objects by tier and age."""
    n_bytes: Counter[tuple[str, int]] = Counter()
    n_objects: Counter[tuple[str, int]] = Counter()
    since = set()
    for bucket in _buckets(entity):
        since.add(bucket.age_since)
        for share in bucket.shares or ():
            key = share["tier"], share["from_days"]
            n_bytes[key] += share["n_bytes"]
            n_objects[key] += share["n_objects"]
    ages = sorted({days for _, days in n_bytes})
    rows = [
        Row(cells=(tier, _age(days, ages=ages), n_objects[tier, days], n_bytes[tier, days]))
        for tier in TIERS
        for days in ages
        if n_objects[tier, days]
    ]
    section = told(
        "tiers", "Tiers and ages", rows, Column(name="tier"), Column(name="age"),
        Column(name="objects", measure="count"), Column(name="bytes", measure="bytes"),
    )  # fmt: skip
    if section is None:
        return None
    note = f"ages are counted {SINCE[one]}" if len(since) == 1 and (one := since.pop()) else ""
    return replace(section, note=note)


def largest(entity: Entity) -> Section | None:
    """Return the largest objects of a bucket, or of all buckets of an account."""
    now = datetime.now(UTC)
    is_account = entity.kind == Kind.ACCOUNT
    found = [
        (one, bucket) for bucket in _buckets(entity) for one in bucket.largest or ()
    ]  # fmt: skip
    found.sort(key=lambda pair: -pair[0]["n_bytes"])
    rows = [
        Row(
            cells=(
                one["key"], *((bucket.entity.name,) if is_account else ()), one["n_bytes"],
                one["tier"], (now - datetime.fromisoformat(one["written_at"])).days,
                one["written_at"],
            )
        )
        for one, bucket in found[:MOST_LARGEST]
    ]  # fmt: skip
    return told(
        "largest", "Largest objects", rows, Column(name="object"),
        *((Column(name="bucket"),) if is_account else ()), Column(name="bytes", measure="bytes"),
        Column(name="tier"), Column(name="days old", measure="count"),
        Column(name="written", measure="moment"),
    )  # fmt: skip


def _buckets(entity: Entity) -> list[models.Bucket]:
    buckets = models.Bucket.objects.filter(entity__retired_at=None).select_related("entity")
    if entity.kind == Kind.BUCKET:
        return list(buckets.filter(pk=entity.pk))
    return list(buckets.filter(account=entity.pk))


def _age(days: int, *, ages: list[int]) -> str:
    after = next((one for one in ages if one > days), None)
    return f"{days} d and older" if after is None else f"{days} to {after} d"
