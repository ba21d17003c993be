"""Addresses of the joined estate."""

from django.urls import path
from rest_framework.routers import SimpleRouter

from keelmark.estate.api import FindingViewSet, KindsView, TenantViewSet, TraceView

router = SimpleRouter(trailing_slash=False)
router.register("findings", FindingViewSet, basename="finding")
router.register("tenants", TenantViewSet, basename="tenant")
urlpatterns = [
    *router.urls,
    path("kinds", KindsView.as_view(), name="kinds"),
    path("trace", TraceView.as_view(), name="trace"),
]
