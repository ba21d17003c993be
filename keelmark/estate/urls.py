"""Addresses of the joined estate."""

from django.urls import path
from rest_framework.routers import SimpleRouter

from keelmark.estate.api import FindingViewSet, KindsView, TraceView

router = SimpleRouter(trailing_slash=False)
router.register("findings", FindingViewSet, basename="finding")
urlpatterns = [
    *router.urls,
    path("kinds", KindsView.as_view(), name="kinds"),
    path("trace", TraceView.as_view(), name="trace"),
]
