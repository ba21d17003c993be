"""Addresses of the joined estate."""

from django.urls import path
from rest_framework.routers import SimpleRouter

from keelmark.estate.api import FindingViewSet, KindsView, TenantViewSet, TraceView
from keelmark.estate.notes_api import DroppedNoteView, NotesView, NoteView

router = SimpleRouter(trailing_slash=False)
router.register("findings", FindingViewSet, basename="finding")
router.register("tenants", TenantViewSet, basename="tenant")
urlpatterns = [
    *router.urls,
    path("kinds", KindsView.as_view(), name="kinds"),
    path("trace", TraceView.as_view(), name="trace"),
    path("estate/things/<int:entity_id>/notes", NotesView.as_view(), name="notes"),
    path("notes/<int:note_id>", NoteView.as_view(), name="note"),
    path("notes/<int:note_id>/dropped", DroppedNoteView.as_view(), name="dropped-note"),
]
