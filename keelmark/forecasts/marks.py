"""Marks of things: the nearest wins, a thing's own before its class's and its site's."""

from collections.abc import Sequence
from dataclasses import dataclass

from keelmark.core.ledger import DEFAULT_MARKS, Marks, marks_in_order
from keelmark.estate.models import Entity, Kind, MarksMixin, Pool, ServiceClass

DEFAULT = Marks()
FIELDS = tuple(DEFAULT_MARKS)
Told = Sequence[int | None]  # a level's own marks in the order of FIELDS
_NOTHING = (None,) * len(FIELDS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Level:
    """Where marks may be set for a thing: itself, its class, its site."""

    name: str  # own, class, site
    title: str
    holder: Entity | ServiceClass

    @property
    def told(self) -> dict[str, int | None]:
        """The marks that are set here."""
        return {name: getattr(self.holder, name) for name in FIELDS}


def levels_of(entity: Entity) -> list[Level]:
    """Return the levels whose marks bear on a thing, the nearest first."""
    levels = [Level(name="own", title="own", holder=entity)]
    if entity.kind == Kind.POOL:
        pool = Pool.objects.select_related("service_class").filter(pk=entity.pk).first()
        if pool is not None and pool.service_class is not None:
            offered = pool.service_class
            levels.append(Level(name="class", title=f"class {offered.name}", holder=offered))
    if entity.site is not None and entity.site.pk != entity.pk:
        levels.append(Level(name="site", title=f"site {entity.site.name}", holder=entity.site))
    return levels


def nearest_marks(entity: Entity) -> Marks:
    """Return the nearest of the marks that bear on a thing, each by itself."""
    return marks_of(*(tuple(level.told.values()) for level in levels_of(entity)))


def marks_of(*levels: Told) -> Marks:
    """Return the nearest marks of several levels, each by itself; the first level is nearest."""
    if all(told == _NOTHING for told in levels):
        return DEFAULT
    return marks_in_order(**_nearest(levels))


def holding(levels: Sequence[MarksMixin]) -> dict[str, int]:
    """Return the marks that would hold of these levels, in order or not."""
    return _nearest([[getattr(level, name) for name in FIELDS] for level in levels])


def _nearest(levels: Sequence[Told]) -> dict[str, int]:
    nearest = dict(DEFAULT_MARKS)
    for told in reversed(levels):
        nearest |= {
            name: amount for name, amount in zip(FIELDS, told, strict=True) if amount is not None
        }
    return nearest


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkTold:
    """One mark of a thing: its own (None: it has none), the one that holds, and whose that is."""

    name: str
    own: int | None
    holds: int
    whose: str  # own, class NAME, site NAME, default


def marks_told(entity: Entity) -> list[MarkTold]:
    """Return the marks of a thing with where each comes from."""
    levels = levels_of(entity)
    marks = marks_of(*(tuple(level.told.values()) for level in levels))
    told = []
    for name in FIELDS:
        whose = next((x.title for x in levels if getattr(x.holder, name) is not None), "default")
        told.append(
            MarkTold(name=name, own=getattr(entity, name), holds=getattr(marks, name), whose=whose)
        )
    return told
