"""Arrays of the situations: volumes with a used-bytes curve that any moment can be read off."""

import hashlib
import uuid
from dataclasses import dataclass, field
from datetime import date, timedelta

import numpy as np
from numpy.typing import NDArray

from standins.situations import CONSUMERS, TIB, ArrayStory, PoolStory

HISTORY_DAYS = 400
FUTURE_DAYS = 400  # a demo that is left running goes on
DRIVE_BYTES = 7_680_000_000_000
EXTENT_BYTES = 1024**2  # arrays hand out whole extents
_NAMESPACE = uuid.UUID("5f1c9c9a-7d53-4c8e-9a34-3a6e2b2f0c11")


@dataclass(slots=True, kw_only=True)
class Volume:
    """One volume; ``curve_bytes`` is what is written at the end of each day."""

    name: str
    naa: str
    size_bytes: int
    is_thin: bool
    is_mapped: bool
    curve_bytes: NDArray[np.int64]
    injected_bytes: int = 0
    seen_by: list[str] = field(default_factory=list)  # ports of the hosts it is mapped to
    clone_of: str = ""  # the NAA of the volume whose space it shares
    mirrors: list[str] | None = None  # where the volumes stand that mirror it; None: never had any
    mirror_of: "Volume | None" = None  # it holds what this one holds
    mirror_source: str = ""  # where that stands


@dataclass(slots=True, kw_only=True)
class Pool:
    """One pool with its volumes."""

    story: PoolStory
    uuid: str
    usable_bytes: int
    volumes: list[Volume]
    is_read: NDArray[np.bool_]
    odd_factor: NDArray[np.float64]
    first_day: int

    @property
    def name(self) -> str:
        """The pool's own name on its array."""
        return self.story.name

    @property
    def provisioned_bytes(self) -> int:
        """Sum of sizes promised."""
        return sum(volume.size_bytes for volume in self.volumes)

    def usable_on(self, day: int) -> int:
        """Usable bytes at a day index: smaller before an expansion."""
        if self.story.expanded and day < HISTORY_DAYS - self.story.expanded[0]:
            return _whole_extents(self.usable_bytes * self.story.expanded[1])
        return self.usable_bytes


@dataclass(slots=True, kw_only=True)
class Array:
    """One array with its pools and drives."""

    story: ArrayStory
    serial: str
    uuid: str
    pools: list[Pool] = field(default_factory=list)

    @property
    def name(self) -> str:
        """Its name on the network."""
        return self.story.name


def drives_of(array: Array) -> list[tuple[int, str, Pool | None]]:
    """Return (number, role, pool) of each drive: two a system, the pools', the spares."""
    roles: list[tuple[str, Pool | None]] = [("system", None)] * 2
    for pool in array.pools:
        n_data = -(-pool.usable_bytes * 5 // (DRIVE_BYTES * 4))  # four data to one parity
        roles += [("pooled", pool)] * int(n_data)
    roles += [("spare", None)] * array.story.n_spare_drives
    return [(number, role, pool) for number, (role, pool) in enumerate(roles)]


def written_bytes(volume: Volume, *, day: float) -> int:
    """What is written on a volume at a (fractional) day index."""
    if volume.mirror_of is not None:
        return min(written_bytes(volume.mirror_of, day=day), volume.size_bytes)
    last = len(volume.curve_bytes) - 1
    low = int(np.clip(np.floor(day), 0, last))
    high = min(low + 1, last)
    share = float(np.clip(day - low, 0.0, 1.0))
    before, after = int(volume.curve_bytes[low]), int(volume.curve_bytes[high])
    grown = before + int((after - before) * share)
    return min(grown + volume.injected_bytes, volume.size_bytes)


def make_array(story: ArrayStory, *, anchor_on: date, seed: int) -> Array:
    pools = [_pool(pool, array=story, anchor_on=anchor_on, seed=seed) for pool in story.pools]
    return Array(
        story=story,
        serial=f"TCO-{story.name.upper().replace('-', '')}",
        uuid=str(uuid.uuid5(_NAMESPACE, story.name)),
        pools=pools,
    )


def _pool(story: PoolStory, *, array: ArrayStory, anchor_on: date, seed: int) -> Pool:
    key = f"{seed}/{array.name}/{story.name}"
    rng = np.random.default_rng(int.from_bytes(hashlib.sha256(key.encode()).digest()[:8], "big"))
    n_days = HISTORY_DAYS + FUTURE_DAYS
    share = _used_share(story, rng=rng, anchor_on=anchor_on, n_days=n_days)
    usable = _whole_extents(story.usable_tib * TIB)
    volumes = _volumes(story, key=key, share=share, usable=usable, rng=rng)
    odd = np.ones(n_days)
    for back in story.odd_days_back:
        odd[HISTORY_DAYS - back] = 1.17
    is_read = rng.random(n_days) >= story.gaps
    is_read[HISTORY_DAYS - 3 :] = True
    return Pool(
        story=story,
        uuid=str(uuid.uuid5(_NAMESPACE, f"{array.name}/{story.name}")),
        usable_bytes=usable,
        volumes=volumes,
        is_read=is_read,
        odd_factor=odd,
        first_day=HISTORY_DAYS - story.born_days_back,
    )


def _used_share(
    story: PoolStory, *, rng: np.random.Generator, anchor_on: date, n_days: int
) -> NDArray[np.float64]:
    """Used in shares of usable for every day, without what single volumes add."""
    day = np.arange(n_days)
    share = story.start_share + story.growth_share_per_year / 365 * day
    share = share + np.cumsum(rng.normal(0, story.noise_share, n_days))
    late_from = HISTORY_DAYS - story.late_days
    share = share + story.late_growth_share_per_day * np.maximum(day - late_from, 0)
    for back, jump in story.jumps:
        share = share + jump * (day >= HISTORY_DAYS - back)
    first_weekday = (anchor_on - timedelta(days=HISTORY_DAYS)).weekday()
    share = share + story.weekly_share * np.sin(2 * np.pi * (day + first_weekday) / 7)
    if story.batch_share:
        dates = [anchor_on + timedelta(days=int(d) - HISTORY_DAYS) for d in day]
        share = share + story.batch_share * np.cumsum([d.day == 1 for d in dates])
    return np.clip(share, 0.02, 0.985)


def _volumes(
    story: PoolStory,
    *,
    key: str,
    share: NDArray[np.float64],
    usable: int,
    rng: np.random.Generator,
) -> list[Volume]:
    n = story.n_volumes
    part = rng.dirichlet(np.full(n, 3.0))
    growth_part = rng.dirichlet(np.full(n, 2.0)) * (1 - story.leader_share)
    growth_part[0] += story.leader_share
    # Each volume holds its part of the first day and its own part of what came since, so
    # that the leader's growth can be told from the pool's.
    written = usable * (part[:, None] * share[0] + growth_part[:, None] * (share - share[0]))
    floor = usable * 0.0005
    written = np.maximum(written, floor)
    written *= (usable * share / written.sum(axis=0))[None, :]
    peak = written.max(axis=1)
    head = np.maximum(usable * story.provisioned_share - peak.sum(), usable * 0.02)
    sizes = peak * 1.02 + head * rng.dirichlet(np.full(n, 4.0))
    is_thick = np.arange(n) >= n - round(story.thick_share * n)
    return [
        Volume(
            name=f"{CONSUMERS[(index + len(story.name)) % len(CONSUMERS)]}-{index + 1:02d}",
            naa=_naa(f"{key}/{index}"),
            size_bytes=_whole_extents(sizes[index]),
            is_thin=not is_thick[index],
            is_mapped=index < n - story.n_unmapped,
            curve_bytes=(written[index] // 4096 * 4096).astype(np.int64),
        )
        for index in range(n)
    ]


def _whole_extents(amount: float) -> int:
    return max(1, int(amount) // EXTENT_BYTES) * EXTENT_BYTES


def _naa(key: str) -> str:
    """A locally assigned worldwide name (NAA type 3), so that it is nobody's."""
    return "3" + hashlib.sha256(key.encode()).hexdigest()[:15]
