"""What one step of a work order is: what is done, to what, with which exact values."""

from dataclasses import dataclass, field
from enum import StrEnum

from keelmark.core.scenario.moves import Parts

Value = int | str | list[str]
Values = dict[str, Value]


class StepKind(StrEnum):
    """What is done in one step."""

    ADD_ARRAY = "add array"
    ADD_POOL = "add pool"
    EXTEND_POOL = "extend pool"
    CREATE_VOLUME = "create volume"
    CLONE_VOLUME = "clone volume"
    EXTEND_VOLUME = "extend volume"
    MAP_VOLUME = "map volume"
    MOVE_VOLUME = "move volume"
    MAKE_DATASTORE = "make datastore"
    EXTEND_DATASTORE = "extend datastore"
    MOUNT_DATASTORE = "mount datastore"
    MOVE_DISK = "move disk"
    DEPLOY_VMS = "deploy VMs"
    ADD_HOSTS = "add hosts"
    SET_QUOTA = "set quota"
    ALLOT = "allot"
    RESIZE_DISKS = "resize disks"
    SET_SNAPSHOTS = "set snapshots"
    SET_LIMITS = "set limits"
    REVISE_TIER = "revise tier"
    START_MIRROR = "start mirror"
    END_MIRROR = "end mirror"
    PUT_OBJECTS = "put objects"
    NAME_TIER = "name tier"
    PROMISE_POLICY = "promise policy"
    REMOVE = "remove"


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One thing to do, on a day counted from 1970, for a move.

    ``subject`` is the id of what there is and is changed, None of what is made. ``values`` are
    what is typed where it is done by hand, and what is looked for afterwards. ``loses`` names
    what is gone for good once it is done.
    """

    move: int
    day: int
    kind: StepKind
    subject: int | None
    subject_kind: str
    title: Parts
    values: Values = field(default_factory=dict)
    loses: tuple[str, ...] = ()
