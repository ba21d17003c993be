"""Marks of things: the nearest wins."""

from dataclasses import dataclass

from keelmark.core.ledger import Marks
from keelmark.estate.models import Entity, Kind, Pool

DEFAULT = Marks()
FIELDS = ("caution_percent", "limit_percent", "lead_time_days")


def nearest_marks(entity: Entity) -> Marks:
    """Return a thing's own marks, else its site's, else the default, each by itself."""
    site = entity.site
    return marks_of(
        *(
            told
            for name in FIELDS
            for told in (getattr(entity, name), getattr(site, name) if site else None)
        )
    )


def marks_of(*told: int | None) -> Marks:
    """Return marks of what was told: for each of FIELDS the thing's own and its site's."""
    if all(x is None for x in told):
        return DEFAULT
    own, site = told[::2], told[1::2]
    return Marks(
        **{
            name: next(x for x in (near, far, getattr(DEFAULT, name)) if x is not None)
            for name, near, far in zip(FIELDS, own, site, strict=True)
        }
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkTold:
    """One mark of a thing: its own (None: it has none), the one that holds, and whose that is."""

    name: str
    own: int | None
    holds: int
    whose: str  # own, class NAME, site NAME, default


def marks_told(entity: Entity) -> list[MarkTold]:
    """Return the marks of a thing with where each comes from, the nearest first."""
    pool = (
        Pool.objects.select_related("service_class").filter(pk=entity.pk).first()
        if entity.kind == Kind.POOL
        else None
    )
    service_class = pool.service_class if pool else None
    told = []
    for name in FIELDS:
        sources: list[tuple[str, int | None]] = [("own", getattr(entity, name))]
        if service_class is not None:
            sources.append((f"class {service_class.name}", getattr(service_class, name)))
        if entity.site is not None and entity.site.pk != entity.pk:
            sources.append((f"site {entity.site.name}", getattr(entity.site, name)))
        sources.append(("default", getattr(DEFAULT, name)))
        whose, holds = next((w, n) for w, n in sources if n is not None)
        told.append(MarkTold(name=name, own=getattr(entity, name), holds=holds, whose=whose))
    return told
