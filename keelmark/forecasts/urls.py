"""Addresses of pools."""

from django.urls import path
from rest_framework.routers import SimpleRouter

from keelmark.forecasts.api import ChangesView, FacetsView, PoolViewSet

router = SimpleRouter(trailing_slash=False)
router.register("pools", PoolViewSet, basename="pool")
urlpatterns = [
    *router.urls,
    path("facets", FacetsView.as_view(), name="facets"),
    path("changes", ChangesView.as_view(), name="changes"),
]
