"""The kinds of things, what is known of each, and which lies on, or belongs to, which."""

from dataclasses import dataclass
from enum import StrEnum


class Measure(StrEnum):
    """In what a field is told."""

    TEXT = "text"
    BYTES = "bytes"
    COUNT = "count"
    PERCENT = "percent"
    FLAG = "flag"
    SINCE = "since"  # a day that has been: compared as a date, or as an age
    UNTIL = "until"  # a day to come: compared as a date, or as the days until then
    RATE = "rate"  # a second


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One thing that is known of a kind."""

    name: str
    measure: Measure
    about: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind: its fields, and its links by name to other kinds."""

    name: str
    plural: str
    fields: tuple[Field, ...] = ()
    links: tuple[tuple[str, str], ...] = ()

    def field(self, name: str) -> Field | None:
        """Return a field by name, None where the kind has none."""
        return next((one for one in self.fields if one.name == name), None)


def _texts(**about: str) -> tuple[Field, ...]:
    return _fields(Measure.TEXT, about)


def _fields(measure: Measure, about: dict[str, str]) -> tuple[Field, ...]:
    return tuple(Field(name=name, measure=measure, about=text) for name, text in about.items())


_COMMON = (
    *_texts(name="what it is called", state="what it asks: clear, caution, urgent, over, unread"),
    Field(name="seen", measure=Measure.SINCE, about="first seen"),
    Field(name="read", measure=Measure.SINCE, about="last read"),
)
_BOOKS = (
    *_fields(
        Measure.BYTES,
        {
            "size": "what it can hold",
            "used": "what is written to it",
            "promised": "what its consumers were promised",
            "free": "size less used",
            "exposure": "missing if every consumer filled what it was promised",
            "grown": "bytes added in the window looked at",
        },
    ),
    *_fields(
        Measure.PERCENT,
        {"fill": "used of its size", "overcommit": "promised of its size"},
    ),
)
_PLANNABLE = (
    Field(
        name="plannable", measure=Measure.BYTES,
        about="may still be promised: limit mark less used less reserved",
    ),
)  # fmt: skip
_ENDS = _fields(
    Measure.UNTIL,
    {
        "runway": "likely day at the limit mark",
        "early": "one chance in ten that the limit mark is reached sooner",
        "late": "one chance in ten that it is reached later",
    },
)
_PROMISED = _texts(
    policy="storage policy",
    verdict="how it keeps its policy: met, broken, settling, unproven",
    rule="rules that it breaks",
)
_SERVED = _texts(
    tier="QoS tier",
    io="how it is served: within, held, starved, untiered, unread",
)
_USED = tuple(one for one in _BOOKS if one.name in ("used", "size", "promised", "grown"))
_HELD = (*_BOOKS, *_ENDS)
_PLACED = (("site", "site"),)
_OWNED = (("tenant", "tenant"),)

KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        Kind(name="site", plural="sites", fields=(*_COMMON, *_HELD, *_PLANNABLE)),
        Kind(
            name="array", plural="arrays",
            fields=(
                *_COMMON, *_HELD, *_PLANNABLE, *_texts(model="its model"),
                *_fields(Measure.COUNT, {
                    "ports": "front-end ports", "free_ports": "ports without a login",
                    "unpooled": "drives in no pool", "failed": "drives that failed",
                }),
                *_fields(Measure.RATE, {"sustains": "I/O a second it can sustain"}),
            ),
            links=_PLACED,
        ),
        Kind(
            name="pool", plural="pools",
            fields=(
                *_COMMON, *_HELD, *_PLANNABLE,
                *_texts(**{"class": "service class", "raid": "its RAID", "backing": "of what"}),
                *_fields(Measure.BYTES, {
                    "reserved": "unwritten thick space and reservations",
                    "snapshots": "held by snapshots alone",
                }),
                *_fields(Measure.PERCENT, {
                    "caution_mark": "look at it, of size", "limit_mark": "never plan past, of size",
                }),
            ),
            links=(*_PLACED, ("array", "array"), ("cluster", "cluster")),
        ),
        Kind(
            name="volume", plural="volumes",
            fields=(
                *_COMMON, *_HELD, *_PROMISED,
                *_texts(thickness="thin or thick", access="block or file",
                workload="what it is for", labels="labels, name:value",
                side="which mirror side of a shared pool it carries",
                backs_tier="which tier of a shared pool it carries"),
                *_fields(Measure.FLAG, {
                    "mapped": "some host or cluster may see it", "encrypted": "encrypted",
                    "compressed": "compressed", "deduplicated": "deduplicated",
                }),
                *_fields(Measure.SINCE, {"io": "last I/O", "copied": "last copied well"}),
                *_fields(Measure.BYTES, {"snapshots": "held by snapshots alone"}),
                *_fields(Measure.RATE, {
                    "min_iops": "least I/O a second", "max_iops": "most I/O a second",
                }),
            ),
            links=(*_PLACED, ("pool", "pool"), ("array", "array"), ("project", "project")),
        ),
        Kind(
            name="datastore", plural="datastores",
            fields=(
                *_COMMON, *_HELD, *_PLANNABLE, *_PROMISED,
                *_texts(access="block or NFS", labels="labels, name:value"),
            ),
            links=(*_PLACED, ("cluster", "cluster")),
        ),
        Kind(
            name="vm", plural="VMs",
            fields=(
                *_COMMON, *_USED, *_PROMISED, *_SERVED[1:],
                *_texts(power="on, off or suspended", os="guest system",
                        labels="labels, name:value"),
                *_fields(Measure.SINCE, {
                    "since": "since when its power is as it is", "backup": "last good backup",
                }),
                *_fields(Measure.COUNT, {"cpus": "virtual CPUs"}),
                *_fields(Measure.BYTES, {
                    "memory": "memory", "snapshots": "held by its snapshots alone",
                }),
            ),
            links=(*_PLACED, *_OWNED, ("cluster", "cluster"), ("host", "host"),
                   ("project", "project")),
        ),
        Kind(
            name="disk", plural="disks",
            fields=(
                *_COMMON, *_USED, *_ENDS, *_PROMISED, *_SERVED,
                *_texts(thickness="thin or thick", path="its file", labels="labels, name:value"),
                *_fields(Measure.BYTES, {
                    "inside": "what the guest uses", "unshared": "what only it holds",
                }),
                *_fields(Measure.RATE, {"max_iops": "most I/O a second its host lets through"}),
            ),
            links=(*_PLACED, *_OWNED, ("vm", "vm"), ("datastore", "datastore")),
        ),
        Kind(name="cluster", plural="clusters", fields=(*_COMMON, *_HELD), links=_PLACED),
        Kind(
            name="host", plural="hosts",
            fields=(
                *_COMMON, *_USED, *_texts(health="its own state"),
                *_fields(Measure.COUNT, {"cpus": "CPUs", "errors": "network errors"}),
                *_fields(Measure.BYTES, {"memory": "memory"}),
            ),
            links=(*_PLACED, ("cluster", "cluster")),
        ),
        Kind(
            name="port", plural="ports",
            fields=(
                *_COMMON, *_texts(controller="its controller", protocol="its protocol"),
                *_fields(Measure.FLAG, {"up": "it is up"}),
                *_fields(Measure.COUNT, {"logins": "initiators logged in"}),
                *_fields(Measure.RATE, {"speed": "bits a second"}),
            ),
            links=(*_PLACED, ("array", "array")),
        ),
        Kind(
            name="drive", plural="drives",
            fields=(
                *_COMMON, *_texts(role="pooled, unpooled, spare, system or failed",
                media="of what"),
                *_fields(Measure.BYTES, {"size": "its raw capacity"}),
            ),
            links=(*_PLACED, ("array", "array"), ("pool", "pool"), ("host", "host")),
        ),
        Kind(
            name="file", plural="files",
            fields=(
                *_COMMON, *_texts(category="disk, image, log or other"),
                *_fields(Measure.FLAG, {"orphan": "a disk's file that no VM knows"}),
                *_fields(Measure.SINCE, {"changed": "last changed"}),
                *_fields(Measure.BYTES, {"size": "its bytes"}),
            ),
            links=(*_PLACED, *_OWNED, ("datastore", "datastore"), ("vm", "vm")),
        ),
        Kind(
            name="snapshot", plural="snapshots",
            fields=(
                *_COMMON,
                *_fields(Measure.SINCE, {"taken": "when it was taken"}),
                *_fields(Measure.BYTES, {"used": "held by it alone"}),
            ),
            links=(*_PLACED, *_OWNED, ("vm", "vm"), ("volume", "volume")),
        ),
        Kind(name="tenant", plural="tenants", fields=(*_COMMON, *_HELD)),
        Kind(
            name="project", plural="projects", fields=(*_COMMON, *_HELD),
            links=(*_OWNED,),
        ),
        Kind(name="account", plural="accounts", fields=(*_COMMON, *_HELD), links=(*_OWNED,)),
        Kind(
            name="bucket", plural="buckets",
            fields=(
                *_COMMON, *_USED,
                *_fields(Measure.COUNT, {"objects": "how many objects"}),
                *_fields(Measure.BYTES, {
                    "hot": "in the hot tier", "warm": "in the warm tier",
                    "cold": "in the cold tier",
                }),
            ),
            links=(*_PLACED, *_OWNED, ("account", "account"), ("project", "project")),
        ),
    )
}  # fmt: skip

OBJECT_TIERS = ("hot", "warm", "cold")  # in which objects sit, the fastest first

# What lies on what where one thing may lie on several: (upper kind, lower kind) by name.
PAIRS: dict[str, tuple[str, str]] = {
    "extents": ("datastore", "volume"),
    "backings": ("pool", "volume"),
    "replicas": ("volume", "volume"),  # who is copied, and to where
    "seen_by": ("datastore", "host"),
}
