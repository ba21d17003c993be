"""Addresses of pools and forecasts."""

from django.urls import path
from rest_framework.routers import SimpleRouter

from keelmark.forecasts.api.berths import BerthsView, ReferenceView
from keelmark.forecasts.api.limits import LimitsBesideSpaceView, LimitsView
from keelmark.forecasts.api.marks import MarksView
from keelmark.forecasts.api.pools import ChangesView, FacetsView, PoolViewSet
from keelmark.forecasts.api.record import EstateRecordView, TotalView
from keelmark.forecasts.api.soundings import SoundingsView
from keelmark.forecasts.api.standing import (
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
    path("soundings/<int:entity_id>", SoundingsView.as_view(), name="soundings"),
    path("contributors/<int:entity_id>", ContributorsView.as_view(), name="contributors"),
    path("forecast-record", EstateRecordView.as_view(), name="forecast-record"),
    path("together", TotalView.as_view(), name="together-total"),
    path("together/<int:entity_id>", TogetherView.as_view(), name="together"),
    path("berths/<int:entity_id>", BerthsView.as_view(), name="berths"),
    path("limits", LimitsBesideSpaceView.as_view(), name="limits-beside-space"),
    path("limits/<int:entity_id>", LimitsView.as_view(), name="limits"),
    path("marks/<int:entity_id>", MarksView.as_view(), name="marks"),
    path("reference-vm", ReferenceView.as_view(), name="reference-vm"),
    path("changes", ChangesView.as_view(), name="changes"),
]
