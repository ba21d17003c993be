"""Marks of things: the nearest wins, a thing's own before its class's and its site's."""

from collections.abc import Sequence
from dataclasses import dataclass

from keelmark.core.marks import DEFAULT, DEFAULT_MARKS, Marks, marks_in_order
from keelmark.estate.models import Entity, Kind, MarksMixin, Pool, ServiceClass

FIELDS = tuple(DEFAULT_MARKS)
# Where marks of anything are kept, and of a pool, as paths from its own row, the nearest first.
CLASS_PATH = "service_class"
PATHS = ("entity", "entity__site")
PATHS_OF_POOLS = ("entity", CLASS_PATH, "entity__site")
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
    offered = None
    if entity.kind == Kind.POOL:
        pool = Pool.objects.select_related("service_class").filter(pk=entity.pk).first()
        offered = None if pool is None else pool.service_class
    return _levels(entity, offered=offered)


def levels_of_pool(pool: Pool) -> list[Level]:
    """Return the same of a pool that was read with its entity, its class and its site."""
    return _levels(pool.entity, offered=pool.service_class)


def _levels(entity: Entity, *, offered: ServiceClass | None) -> list[Level]:
    levels = [Level(name="own", title="own", holder=entity)]
    if offered is not None:
        levels.append(Level(name="class", title=f"class {offered.name}", holder=offered))
    if entity.site is not None and entity.site.pk != entity.pk:
        levels.append(Level(name="site", title=f"site {entity.site.name}", holder=entity.site))
    return levels


def facts_of(levels: Sequence[Level]) -> dict[str, dict[str, int | None]]:
    """Return what may be written of the marks of a thing, by level."""
    return {level.name: level.told for level in levels}


def nearest_marks(entity: Entity, *, levels: list[Level] | None = None) -> Marks:
    """Return the nearest of the marks that bear on a thing, each by itself.

    ``levels`` where they are at hand already.
    """
    found = levels_of(entity) if levels is None else levels
    return marks_of(*(tuple(level.told.values()) for level in found))


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
