"""Draws policies up over the API, promises them, and tells of what they are judged by."""

from keelmark.core.units import TIB
from keelmark.estate.documents import (
    DriveDocument,
)
from tests.server.conftest import NOW

COPY = {"kind": "copy", "told": {"within_minutes": 240}}
FLASH = {"kind": "media", "told": {"media": "ssd"}}
ENCRYPTED = {"kind": "encrypted", "told": {}}


def drawn_up(api, *rules, name="Twice-kept", settling=0):
    told = api.send(
        "POST", "/compliance/policies", name=name, rules=list(rules), settling_minutes=settling
    )
    assert told.status_code == 201, told.content
    return told.json()


def promised(api, policy, *ids):
    told = api.send(
        "POST", "/compliance/promises", policy_id=policy and policy["id"], entity_ids=list(ids)
    )
    assert told.status_code == 200, told.content
    return told.json()


def verdict(api, pk, kind="media"):
    told = api.get(f"/compliance/things/{pk}").json()
    return next(one for one in told["rules"] if one["kind"] == kind)


def drive(role="pooled", media="ssd", uid="serial.d1", pool="uuid.p"):
    return DriveDocument(
        uid=uid, name=uid, array_uid="serial.h", pool_uid=pool, capacity_bytes=TIB, role=role,
        media=media, read_at=NOW,
    )  # fmt: skip
