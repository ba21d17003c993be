"""Addresses of the session, tokens, people and the audit."""

from django.urls import path
from rest_framework.routers import SimpleRouter

from keelmark.access.api import AuditViewSet, PersonViewSet, SessionView, TokenViewSet

router = SimpleRouter(trailing_slash=False)
router.register("tokens", TokenViewSet, basename="token")
router.register("people", PersonViewSet, basename="person")
router.register("audit", AuditViewSet, basename="audit")
urlpatterns = [path("session", SessionView.as_view(), name="session"), *router.urls]
