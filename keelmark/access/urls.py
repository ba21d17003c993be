"""Addresses of the session."""

from django.urls import path

from keelmark.access.api import SessionView

urlpatterns = [path("session", SessionView.as_view(), name="session")]
