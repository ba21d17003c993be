"""Addresses of placements."""

from django.urls import path

from keelmark.scenarios.api import PlacementView

urlpatterns = [path("placements", PlacementView.as_view(), name="placements")]
