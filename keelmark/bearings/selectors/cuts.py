"""Strata at a bearing: the layers along a path, told with what each thing is."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from keelmark.access.errors import wrong_field
from keelmark.bearings.selectors.views import View
from keelmark.core.arrays import Bools
from keelmark.core.estate.books import Sum
from keelmark.core.estate.columns import Amounts, Words
from keelmark.core.estate.kinds import KINDS
from keelmark.core.estate.strata import Cut, Height, Layer, Member, Node, Way, layers

MAX_LAYERS = 9
MOST_MEMBERS = 60  # the rest of a layer is told as one


KINDS_OF = {
    Way.STORAGE: ("site", "array", "pool", "volume", "datastore", "vm", "disk"),
    Way.CONSUMERS: ("tenant", "project", "vm", "disk"),
    Way.HOSTS: ("cluster", "host", "vm", "disk"),
    Way.OBJECTS: ("account", "bucket"),
}


class _Shown(dict[str, Bools]):
    """Masks by kind, made when a layer first needs one."""

    def __init__(self, view: View, *, way: Way) -> None:
        super().__init__()
        self._view, self._kinds = view, KINDS_OF[way]

    def __missing__(self, kind: str) -> Bools:
        self[kind] = self._view.shown_along(kind, kinds=self._kinds)
        return self[kind]


def cut_for(view: View, *, way: Way, height: Height) -> Cut:
    """Return how the estate is cut at a view; a sift that fits no kind of it is refused."""
    if view.bearing.scope:
        view.shown(view.subject or _first_kind(way))
    return Cut(
        reading=view.reading,
        way=way,
        height=height,
        shown=_Shown(view, way=way),
        since=view.since if height is Height.GROWN else None,
    )


def _first_kind(way: Way) -> str:
    return {"storage": "pool", "consumers": "vm", "hosts": "vm", "objects": "bucket"}[way]


def path_of(view: View, *, ids: list[int]) -> tuple[Node, ...]:
    """Return the things of a path by their ids; refuse what there is not."""
    found = []
    for entity_id in ids[:MAX_LAYERS]:
        node = node_of(view, entity_id=entity_id)
        if node is None:
            raise wrong_field("path", f"Nothing is known under the id {entity_id}.")
        found.append(node)
    return tuple(found)


def node_of(view: View, *, entity_id: int) -> Node | None:
    """Return the thing of an id that may be seen."""
    for kind, table in view.reading.estate.tables.items():
        row = table.row_of(entity_id)
        if row is not None and view.seen[kind][row]:
            return Node(kind, row)
    return None


@dataclass(frozen=True, slots=True, kw_only=True)
class LayerTold:
    """A layer as it is sent: the most first, what is beyond the most as one."""

    of_id: int | None
    kind: str
    title: str
    n_all: int
    total: Sum
    members: list[dict[str, Any]]  # Any: JSON
    n_more: int
    more_amount: int
    remainders: list[dict[str, Any]]  # Any: JSON


def strata(view: View, *, way: Way, height: Height, ids: list[int]) -> list[LayerTold]:
    """Return the layers along a path at a view."""
    cut = cut_for(view, way=way, height=height)
    path = path_of(view, ids=ids)
    return [
        _told(view, layer=layer, chosen=path[depth] if depth < len(path) else None)
        for depth, layer in enumerate(layers(cut, path=path, n_most=MAX_LAYERS))
    ]


def _told(view: View, *, layer: Layer, chosen: Node | None) -> LayerTold:
    shown = list(layer.members[:MOST_MEMBERS])
    rest = layer.members[MOST_MEMBERS:]
    if chosen is not None and all(one.node != chosen for one in shown):
        # What was chosen stays in sight however small it is.
        shown += [one for one in rest if one.node == chosen]
        rest = tuple(one for one in rest if one.node != chosen)
    kinds = list(dict.fromkeys(one.node.kind for one in layer.members))
    return LayerTold(
        of_id=None if layer.of is None else _id(view, layer.of),
        kind=kinds[0] if kinds else "",
        title=" and ".join(KINDS[kind].name for kind in kinds),
        n_all=len(layer.members),
        total=layer.total,
        members=[member_told(view, member=one) for one in shown],
        n_more=len(rest),
        more_amount=sum(one.amount or 0 for one in rest),
        remainders=[
            {"what": one.what, "amount": one.amount, "n": one.n, "size_bytes": one.size_bytes}
            for one in layer.remainders
        ],
    )


def _id(view: View, node: Node) -> int:
    return int(view.reading.estate.table(node.kind).ids[node.row])


def member_told(view: View, *, member: Member) -> dict[str, Any]:  # Any: JSON
    """Return a thing as strata draw it: its bytes here, its own books, marks and state."""
    node, reading = member.node, view.reading
    table = reading.estate.table(node.kind)
    books = reading.books.get(node.kind)
    marks = reading.estate.marks.get(node.kind)
    state = reading.state(node.kind)

    def told(one: Amounts | None) -> int | None:
        return None if one is None else one.told(node.row)

    return {
        "id": _id(view, node),
        "kind": node.kind,
        "name": table.names[node.row],
        "amount": member.amount,
        "size_bytes": told(books.size if books else None),
        "used_bytes": told(books.used if books else None),
        "promised_bytes": told(books.promised if books else None),
        "state": state.told(node.row) if isinstance(state, Words) else None,
        "caution_percent": int(marks.caution_percent[node.row]) if marks else None,
        "limit_percent": int(marks.limit_percent[node.row]) if marks else None,
        "n_unread": int(np.asarray(reading.n_unread[node.kind])[node.row])
        if node.kind in reading.n_unread
        else 0,
    }
