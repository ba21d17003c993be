"""Sessions that know whose they are and end when nobody is heard for a while."""

from datetime import datetime, timedelta
from typing import Any

from django.conf import settings
from django.contrib.auth import SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore as DatabaseStore
from django.utils import timezone

TOUCH_EVERY = timedelta(minutes=1)
BEGAN, ADDRESS, AGENT = "began_at", "address", "agent"


class SessionStore(DatabaseStore):
    """Sessions in a table of ours, with their person and when they were heard last."""

    @classmethod
    def get_model_class(cls) -> Any:  # Any: Django's stubs want their own table
        from keelmark.access.models import KeptSession

        return KeptSession

    model: Any  # the table above; their stubs know Django's own alone

    def _get_session_from_db(self) -> Any:  # Any: as above
        now = timezone.now()
        idle = timedelta(minutes=settings.IDLE_MINUTES)
        kept = self.model.objects.filter(
            session_key=self.session_key, expire_date__gt=now, seen_at__gt=now - idle
        ).first()
        if kept is None:
            self._session_key = None
            return None
        if now - kept.seen_at > TOUCH_EVERY:
            self.model.objects.filter(pk=kept.pk).update(seen_at=now)
        return kept

    def create_model_instance(self, data: dict[str, Any]) -> Any:  # Any: as above
        kept: Any = super().create_model_instance(data)
        now = timezone.now()
        kept.user_id = int(data[SESSION_KEY]) if SESSION_KEY in data else None
        kept.began_at = datetime.fromisoformat(data[BEGAN]) if BEGAN in data else now
        kept.seen_at = now
        kept.address, kept.agent = data.get(ADDRESS, ""), data.get(AGENT, "")
        return kept
