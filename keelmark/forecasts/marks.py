"""Marks of things other than pools: the nearest wins."""

from keelmark.core.ledger import Marks
from keelmark.estate.models import Entity

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
