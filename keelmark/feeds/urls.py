"""Addresses of feeds and runs."""

from rest_framework.routers import SimpleRouter

from keelmark.feeds.api import FeedViewSet, RunViewSet

router = SimpleRouter(trailing_slash=False)
router.register("feeds", FeedViewSet, basename="feed")
router.register("runs", RunViewSet, basename="run")
urlpatterns = router.urls
