"""The one place where estate documents become rows."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from django.db import transaction

from keelmark.estate import services as estate
from keelmark.estate.documents import (
    AnyDocument,
    ArrayDocument,
    CompleteDocument,
    DriveDocument,
    PoolDocument,
    ReadingsDocument,
    VolumeDocument,
)
from keelmark.estate.errors import UnknownParentError
from keelmark.estate.models import Entity
from keelmark.readings import services as readings


@dataclass(slots=True, kw_only=True)
class Imported:
    """What an import did."""

    difference: estate.Difference = field(default_factory=estate.Difference)
    n_documents: int = 0
    n_readings: int = 0


@transaction.atomic
def import_documents(documents: Sequence[AnyDocument], *, into: Imported) -> None:
    """Write the documents, all or none, and add to the account of what was done.

    Inventory comes before the readings of the same thing. Running it again changes nothing.
    """
    inventory = [
        d
        for d in documents
        if isinstance(d, ArrayDocument | PoolDocument | VolumeDocument | DriveDocument)
    ]
    ids = estate.record_inventory(inventory, difference=into.difference)
    told = [d for d in documents if isinstance(d, ReadingsDocument)]
    ids |= _ids_of({d.uid for d in told} - ids.keys())
    for document in told:
        if document.uid not in ids:
            raise UnknownParentError(uid="readings", parent_uid=document.uid)
    if told:
        into.n_readings += readings.write_daily(readings.rows_of_readings(told, ids=ids))
    carriers = [d for d in inventory if isinstance(d, PoolDocument | VolumeDocument)]
    if carriers:
        into.n_readings += readings.write_daily(readings.rows_of_inventory(carriers, ids=ids))
    for complete in documents:
        if isinstance(complete, CompleteDocument):
            estate.retire_unseen(
                array_uid=complete.array_uid,
                seen_uids={d.uid for d in inventory},
                at=max(d.read_at for d in inventory),
                difference=into.difference,
            )
    into.n_documents += len(documents)


def _ids_of(uids: set[str]) -> dict[str, int]:
    return dict(Entity.objects.filter(uid__in=uids).values_list("uid", "pk"))
