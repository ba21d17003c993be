"""Addresses of feeds, runs, sent tables and their mappings."""

from rest_framework.routers import SimpleRouter

from keelmark.feeds.api import FeedViewSet, RunViewSet
from keelmark.feeds.changes.api import ChangeSetViewSet
from keelmark.feeds.tables_api import MappingViewSet, SheetViewSet

router = SimpleRouter(trailing_slash=False)
router.register("feeds", FeedViewSet, basename="feed")
router.register("runs", RunViewSet, basename="run")
router.register("sheets", SheetViewSet, basename="sheet")
router.register("mappings", MappingViewSet, basename="mapping")
router.register("change-sets", ChangeSetViewSet, basename="change-set")
urlpatterns = router.urls
