"""Has the estate kept at once where somebody waits to see what they set."""

from typing import Final

from keelmark.bearings.models import Revision
from keelmark.feeds.models import Change, ChangeState, Run
from keelmark.feeds.services.jobs import FIRST, ask_once

BUILD: Final = "keelmark.bearings.tasks.build"


def ask_for_what_was_set(*, run_id: int, **_: object) -> None:
    """Ask for a revision once a far end was collected at which something was set since the last.

    All else is kept within the minute, see ``tasks.build``.
    """
    newest = Revision.objects.order_by("-made_at").values_list("made_at", flat=True).first()
    feeds = Run.objects.filter(pk=run_id).values("feed")
    changes = Change.objects.filter(feed__in=feeds, state=ChangeState.SET)
    if newest is not None:
        changes = changes.filter(ended_at__gt=newest)
    if changes.exists():
        ask_once(BUILD, priority=FIRST, timestamp=0)
