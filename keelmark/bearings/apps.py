"""Django's handle on bearings."""

from django.apps import AppConfig


class BearingsConfig(AppConfig):
    name = "keelmark.bearings"
    label = "bearings"

    def ready(self) -> None:
        """Siftings of all apps are found over the columns that this one keeps."""
        from keelmark.bearings.selectors.views import ids_found
        from keelmark.estate.sift import find_by

        find_by(ids_found)
