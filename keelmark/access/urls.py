"""Addresses of the session, tokens, people and the audit."""

from django.urls import path
from rest_framework.routers import SimpleRouter

from keelmark.access.api.audit import AuditViewSet
from keelmark.access.api.people import PersonViewSet
from keelmark.access.api.session import (
    ConfirmationView,
    OpenSessionsView,
    OpenSessionView,
    PasswordView,
    SecondFactorView,
    SessionView,
)
from keelmark.access.api.tokens import TokenViewSet

router = SimpleRouter(trailing_slash=False)
router.register("tokens", TokenViewSet, basename="token")
router.register("people", PersonViewSet, basename="person")
router.register("audit", AuditViewSet, basename="audit")
urlpatterns = [
    path("session", SessionView.as_view(), name="session"),
    path("session/confirmation", ConfirmationView.as_view(), name="confirmation"),
    path("session/password", PasswordView.as_view(), name="password"),
    path("session/second-factor", SecondFactorView.as_view(), name="second-factor"),
    path("sessions", OpenSessionsView.as_view(), name="sessions"),
    path("sessions/<str:key>", OpenSessionView.as_view(), name="open-session"),
    *router.urls,
]
