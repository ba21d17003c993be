"""Addresses of pools and forecasts."""

from django.urls import path
from rest_framework.routers import SimpleRouter

from keelmark.forecasts.api import ChangesView, FacetsView, PoolViewSet
from keelmark.forecasts.berths_api import BerthsView, ReferenceView
from keelmark.forecasts.marks_api import MarksView
from keelmark.forecasts.standing_api import (
    ContributorsView,
    CrossingViewSet,
    ForecastRunViewSet,
    ForecastView,
    TogetherView,
)

router = SimpleRouter(trailing_slash=False)
router.register("pools", PoolViewSet, basename="pool")
router.register("forecasts", CrossingViewSet, basename="crossing")
router.register("forecast-runs", ForecastRunViewSet, basename="forecast-run")
urlpatterns = [
    *router.urls,
    path("facets", FacetsView.as_view(), name="facets"),
    path("forecasts/<int:entity_id>", ForecastView.as_view(), name="forecast"),
    path("contributors/<int:entity_id>", ContributorsView.as_view(), name="contributors"),
    path("together/<int:entity_id>", TogetherView.as_view(), name="together"),
    path("berths/<int:entity_id>", BerthsView.as_view(), name="berths"),
    path("marks/<int:entity_id>", MarksView.as_view(), name="marks"),
    path("reference-vm", ReferenceView.as_view(), name="reference-vm"),
    path("changes", ChangesView.as_view(), name="changes"),
]
