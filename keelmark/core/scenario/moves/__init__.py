"""All moves that a scenario may hold, by the name under which they are kept."""

from collections.abc import Mapping
from typing import Final

from keelmark.core.scenario.moves.base import (
    Ask,
    DiskGiven,
    Fault,
    Form,
    Move,
    MoveFieldError,
    Parts,
    read_fields,
    told_of,
)
from keelmark.core.scenario.moves.bytes import ChangeGrowth, Free, Migrate
from keelmark.core.scenario.moves.ends import Allot, RetirePlace, SetQuota
from keelmark.core.scenario.moves.hosts import AddHosts, Mount, RemoveHosts
from keelmark.core.scenario.moves.mirror import EndMirror, Mirror
from keelmark.core.scenario.moves.objects import PlaceObjects
from keelmark.core.scenario.moves.place import Clone, Place
from keelmark.core.scenario.moves.promises import NameTier, PromisePolicy, ReviseTier, SetLimits
from keelmark.core.scenario.moves.room import (
    ExtendDatastore,
    ExtendPool,
    NewArray,
    NewDatastore,
    NewPool,
)
from keelmark.core.scenario.moves.side import MoveSide
from keelmark.core.scenario.moves.work import CloneVolume, Resize, TakeSnapshots

# In the order in which a planner is offered them: free first, then move, then bring, then buy.
MOVES: Final[dict[str, type[Move]]] = {
    move.kind: move
    for move in (
        Free, Migrate, MoveSide, Place, Clone, CloneVolume, Resize, ChangeGrowth, NewDatastore,
        ExtendDatastore, Mount, ExtendPool, NewPool, NewArray, AddHosts, RemoveHosts, RetirePlace,
        SetQuota, Allot, NameTier, ReviseTier, SetLimits, PromisePolicy, Mirror, EndMirror,
        TakeSnapshots, PlaceObjects,
    )
}  # fmt: skip


def move_of(kind: str, told: Mapping[str, object]) -> Move:
    """Return a move of what is kept of it; raise MoveFieldError at what is wrong."""
    made = MOVES.get(kind)
    if made is None:
        raise MoveFieldError(move=kind, field="kind", wanted=f"one of {', '.join(MOVES)}")
    return made(**read_fields(made, told))


__all__ = [
    "MOVES", "AddHosts", "Allot", "Ask", "ChangeGrowth", "Clone", "CloneVolume", "DiskGiven",
    "EndMirror", "ExtendDatastore", "ExtendPool", "Fault", "Form", "Free", "Migrate", "Mirror",
    "Mount", "Move", "MoveFieldError", "MoveSide", "NameTier", "NewArray", "NewDatastore",
    "NewPool", "Parts", "Place", "PlaceObjects", "PromisePolicy", "RemoveHosts", "Resize",
    "RetirePlace", "SetQuota", "TakeSnapshots", "move_of", "told_of",
]  # fmt: skip
