"""Django's handle on bearings."""

from django.apps import AppConfig


class BearingsConfig(AppConfig):
    name = "keelmark.bearings"
    label = "bearings"

    def ready(self) -> None:
        """Siftings are found over the columns that this one keeps; what was set is kept soon."""
        from keelmark.bearings.packs.asking import ask_for_what_was_set
        from keelmark.bearings.selectors.views import ids_found
        from keelmark.estate.sift import find_by
        from keelmark.feeds.signals import collected

        find_by(ids_found)
        collected.connect(ask_for_what_was_set, dispatch_uid="revisions")
