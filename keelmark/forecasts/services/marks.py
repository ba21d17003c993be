"""Writes the marks of things."""

from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access.services import audit
from keelmark.estate import selectors as estate
from keelmark.estate.models import Entity
from keelmark.feeds.services.schedule import ask_refresh
from keelmark.forecasts.errors import MarksOutOfOrderError
from keelmark.forecasts.marks import FIELDS, marks_told


@transaction.atomic
def set_marks(*, actor: User, entity_id: int, marks: dict[str, int | None]) -> Entity:
    """Set what is given of a thing's own marks, None for the next farther one's.

    Raise MarksOutOfOrderError unless the caution mark that holds then is below the limit mark.
    """
    found = estate.entities_for(actor).select_related("site")
    entity = found.select_for_update(of=("self",)).get(pk=entity_id)
    before = {name: getattr(entity, name) for name in FIELDS}
    for name, percent in marks.items():
        setattr(entity, name, percent)
    holds = {told.name: told.holds for told in marks_told(entity)}
    if holds["caution_percent"] >= holds["limit_percent"]:
        raise MarksOutOfOrderError(
            caution_percent=holds["caution_percent"], limit_percent=holds["limit_percent"]
        )
    entity.save(update_fields=list(FIELDS))
    after = {name: getattr(entity, name) for name in FIELDS}
    audit(actor, action="set marks", kind=str(entity.kind), subject_id=entity.pk,
          name=entity.name, before=before, after=after)  # fmt: skip
    ask_refresh()
    return entity
