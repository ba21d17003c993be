"""The books of one thing at a bearing, as a ledger with its workings."""

from dataclasses import fields

from keelmark.bearings.selectors.views import View
from keelmark.core.estate.strata import Node
from keelmark.core.ledger import Ledger
from keelmark.core.marks import Marks
from keelmark.forecasts.reading.workings import (
    BOOKS_OF_POOL,
    Books,
    Working,
    workings_of_ledger,
)

# What books of a kind are made of: who counts them, what its size is called, who was promised.
_BOOKS: dict[str, Books] = {
    "pool": BOOKS_OF_POOL,
    "volume": Books(
        says_used="Bytes written to the volume, as the array counts them.", size_name="size",
        is_shared_out=False,
    ),
    "datastore": Books(
        says_used="Bytes written to the datastore, as its cluster counts them.",
        size_name="size", consumers="virtual disk",
    ),
    "array": Books(says_used="Bytes written in its pools, added up."),
    "site": Books(says_used="Bytes written in the pools of its arrays, added up."),
    "cluster": Books(
        says_used="Bytes written to its datastores, added up; what two hosts see counts once.",
        size_name="size", consumers="virtual disk",
    ),
    "tenant": Books(
        says_used="What the arrays hold for the disks of all its VMs, added up.",
        size_name="quota", consumers="disk",
    ),
    "project": Books(
        says_used="What the arrays hold for the disks of its VMs, added up.", size_name="quota",
        consumers="disk",
    ),
    "account": Books(
        says_used="Bytes of the objects in its buckets, added up.", size_name="quota",
        is_shared_out=False,
    ),
}  # fmt: skip


def ledger_at(view: View, node: Node) -> Ledger | None:
    """Return the books of a thing on the day looked at; None where it has no size or no reading."""
    books = view.reading.books.get(node.kind)
    marks = view.reading.estate.marks.get(node.kind)
    if node.kind not in _BOOKS or books is None or marks is None:
        return None
    usable, used = books.size.told(node.row), books.used.told(node.row)
    if not usable or used is None:
        return None
    return Ledger(
        usable_bytes=usable,
        used_bytes=used,
        provisioned_bytes=books.promised.told(node.row),
        reserved_bytes=books.reserved.told(node.row) or 0,
        held_bytes=books.held.told(node.row) or 0,
        marks=Marks(**{
            one.name: int(getattr(marks, one.name)[node.row]) for one in fields(Marks)
        }),
    )  # fmt: skip


def knows_reserved(view: View, node: Node) -> bool:
    """Whether what is reserved is known: of days that were nobody keeps it."""
    return view.reading.books[node.kind].reserved.told(node.row) is not None


def size_name_of(node: Node) -> str:
    """Return what the size of a thing is called in its books."""
    return _BOOKS[node.kind].size_name


def is_shared_out(node: Node) -> bool:
    """Whether it is promised to others, so that it may be overcommitted."""
    return _BOOKS[node.kind].is_shared_out


def workings_at(view: View, node: Node, *, ledger: Ledger) -> list[Working]:
    """Return how each figure of the books comes about."""
    told = workings_of_ledger(ledger, of=_BOOKS[node.kind])
    if knows_reserved(view, node):
        return told
    return [one for one in told if one.figure != "plannable"]
