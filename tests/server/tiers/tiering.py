"""Draws tiers up over the API, names them, and tells what disks did."""

from datetime import timedelta

from keelmark.access.clock import now
from keelmark.estate.documents import CountersDocument
from tests.server.conftest import NOW

YESTERDAY = NOW.date() - timedelta(days=1)
SLACK = {"min_iops": 50, "max_iops": 300}
# Reads a second, and the milliseconds that a limit and a line in front of the array add.
DONE = {0: (300, 4, 0), 1: (120, 0, 0), 2: (20, 0, 100), 3: (10, 0, 0)}


def drawn_up(api, name="Slack", **told):
    answer = api.send("POST", "/compliance/tiers", name=name, **{**SLACK, **told})
    assert answer.status_code == 201, answer.content
    return answer.json()


def named(api, tier, *ids):
    answer = api.send(
        "POST", "/compliance/namings", tier_id=tier and tier["id"], entity_ids=list(ids)
    )
    assert answer.status_code == 200, answer.content
    return answer.json()


def lanes(api, **query):
    answer = api.get("/compliance/lanes", at=YESTERDAY.isoformat(), **query)
    assert answer.status_code == 200, answer.content
    return answer.json()


def lane(api, estate, n, **query):
    return next(
        one for one in lanes(api, **query)["results"] if one["id"] == estate[f"path.v{n}:a"]
    )


def replay(api, tier, *limits, **told):
    answer = api.send(
        "POST", f"/compliance/replays?at={YESTERDAY}", tier_id=tier["id"], days=1,
        limits=[{"tier_id": tier["id"], "min_iops": 0, "max_iops": one} for one in limits], **told,
    )  # fmt: skip
    assert answer.status_code == 200, answer.content
    return answer.json()


def sampled(n, *, minutes):
    """Samples of a disk that does a hundred times its number a second, the last so long ago."""
    return [
        CountersDocument(uid=f"path.v{n}:a", read_at=now() - timedelta(minutes=minutes + ago),
                         read_ops=(40 - ago) * 6_000 * n, write_ops=0)
        for ago in range(40, -1, -5)
    ]  # fmt: skip
