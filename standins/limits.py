"""Which tier each disk is in, and to what volumes are set: most rightly, some forgotten."""

import json
from collections.abc import Mapping, Sequence
from pathlib import Path

Limits = tuple[int, int]  # operations a second, least and most

TIERS: dict[str, Limits] = {
    "Spring": (2_000, 8_000), "Neap": (400, 1_500), "Slack": (50, 300), "Ebb": (10, 200),
}  # fmt: skip
TOGETHER: dict[str, Limits] = {"Tiles": (1_000, 6_000)}  # all its disks share
FITS = 0.95  # of a tier's most, that the busiest mean step of a disk comes to at most
TIGHT_EVERY, TIGHT_AT, TIGHT = 31, 11, 0.7  # volumes that are set to less than their disks may do
CHOKED_EVERY, CHOKED_AT, CHOKED = 47, 20, 0.5  # and to far less than they do when they are busy


def tier_of(*, busiest: float, is_system: bool, may_share: bool, is_misjudged: bool) -> str:
    """Return the least tier that a disk fits into, or the one below; some share one."""
    names = list(TIERS)
    if is_system:
        return names[-1]
    fitting = [name for name in names[:-1] if busiest <= FITS * TIERS[name][1]]
    tier = fitting[-1] if fitting else names[0]
    if is_misjudged:
        return names[min(names.index(tier) + 1, len(names) - 2)]
    return next(iter(TOGETHER)) if may_share and tier == "Slack" else tier


def volumes_set(
    rows_by_volume: Mapping[str, Sequence[int]],
    *,
    tiers: Sequence[str],
    usual: Sequence[float],
) -> dict[str, Limits]:
    """Return to what volumes are set: to what their disks may do, but for some forgotten ones.

    ``tiers`` and ``usual`` are by row of a disk: its tier, empty where none, and what it does when
    it is busy. A volume that carries a disk without a tier is set to nothing.
    """
    told: dict[str, Limits] = {}
    for at, (naa, rows) in enumerate(sorted(rows_by_volume.items())):
        of_disks = [tiers[row] for row in rows]
        each = [TIERS[tier] for tier in of_disks if tier in TIERS]
        together = [TOGETHER[tier] for tier in sorted(set(of_disks) & set(TOGETHER))]
        least, most = (sum(one) for one in zip((0, 0), *each, *together, strict=True))
        if at % TIGHT_EVERY == TIGHT_AT:
            most = int(most * TIGHT)
        elif at % CHOKED_EVERY == CHOKED_AT:
            told[naa] = (0, max(10, int(sum(usual[row] for row in rows) * CHOKED)))
            continue
        if "" not in of_disks:  # what nobody put into a tier is not to be held back
            told[naa] = (least, most)
    return told


def kept_limits(path: Path | None) -> dict[str, Limits]:
    """Return what was set while the arrays ran before, by volume."""
    if path is None or not path.exists():
        return {}
    told: dict[str, list[int]] = json.loads(path.read_text(encoding="utf-8"))
    return {naa: (least, most) for naa, (least, most) in told.items()}


def keep_limits(path: Path | None, limits: Mapping[str, Limits]) -> None:
    """Keep what was set, so that an array that is started again knows it."""
    if path is None:
        return
    fresh = path.with_suffix(".writing")
    fresh.write_text(json.dumps(limits), encoding="utf-8")
    fresh.replace(path)
