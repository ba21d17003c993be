"""Addresses of the estate at a bearing."""

from django.urls import path

from keelmark.bearings.api.bar import CompletionView, JumpView, SiftingsView, SiftingView, TideView
from keelmark.bearings.api.disks import DisksView
from keelmark.bearings.api.drawings import AreaView, CoastView, StrataView
from keelmark.bearings.api.estate import (
    ExportView,
    FacetsView,
    KindsOfEstateView,
    RowsView,
    SelectedView,
)
from keelmark.bearings.api.performance import EatersOfIoView, PerformanceView
from keelmark.bearings.api.things import EstateDetailsView, EstateThingView

urlpatterns = [
    path("estate/kinds", KindsOfEstateView.as_view(), name="estate-kinds"),
    path("estate/rows/<str:kind>", RowsView.as_view(), name="estate-rows"),
    path("estate/rows/<str:kind>/export", ExportView.as_view(), name="estate-export"),
    path("estate/rows/<str:kind>/selected", SelectedView.as_view(), name="estate-selected"),
    path("estate/facets/<str:kind>", FacetsView.as_view(), name="estate-facets"),
    path("estate/area/<str:kind>", AreaView.as_view(), name="estate-area"),
    path("estate/coast", CoastView.as_view(), name="estate-coast"),
    path("estate/strata", StrataView.as_view(), name="estate-strata"),
    path("estate/things/<int:entity_id>", EstateThingView.as_view(), name="estate-thing"),
    path(
        "estate/things/<int:entity_id>/details",
        EstateDetailsView.as_view(),
        name="estate-details",
    ),
    path("estate/things/<int:entity_id>/disks", DisksView.as_view(), name="estate-disks"),
    path(
        "estate/things/<int:entity_id>/performance",
        PerformanceView.as_view(),
        name="estate-performance",
    ),
    path(
        "estate/things/<int:entity_id>/performance/eaters",
        EatersOfIoView.as_view(),
        name="estate-eaters-of-io",
    ),
    path("estate/tide", TideView.as_view(), name="estate-tide"),
    path("estate/jump", JumpView.as_view(), name="estate-jump"),
    path("estate/words", CompletionView.as_view(), name="estate-words"),
    path("siftings", SiftingsView.as_view(), name="siftings"),
    path("siftings/<int:sifting_id>", SiftingView.as_view(), name="sifting"),
]
