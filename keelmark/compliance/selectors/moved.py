"""What tells two states apart of what screens of promises show, for a look every few seconds."""

from django.db.models import Count, Max

from keelmark.bearings.models import Revision
from keelmark.compliance.selectors.definitions import defined_at, tiers_defined_at
from keelmark.compliance.selectors.serving import DISKS, collected_at
from keelmark.feeds.changes.reading import LIVE
from keelmark.feeds.models import Change
from keelmark.readings.performance.lately import lately_made

LANES, CHANGES = "lanes", "changes"


def moved() -> dict[str, str]:
    """Return by part a text that is another one once the part moved; small reads alone."""
    packed = lately_made(DISKS)
    # What was collected is told by the screens once a revision holds it, up to a minute later.
    revision = Revision.objects.aggregate(last=Max("pk"))["last"]
    changes = Change.objects.aggregate(at=Max("ended_at"), n=Count("pk"), last=Max("pk"))
    live = Change.objects.filter(state__in=LIVE).values_list("pk", "state")
    return {
        LANES: repr(
            (collected_at(), packed, tiers_defined_at(), defined_at(), changes["at"], revision)
        ),
        CHANGES: repr((changes, sorted(live))),
    }
