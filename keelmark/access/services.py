"""Writes people."""

from django.contrib.auth.models import User
from django.db import transaction


@transaction.atomic
def ensure_person(*, name: str, password: str) -> User:
    """Make the person, or give an existing one this password."""
    person, _ = User.objects.get_or_create(username=name)
    if not person.check_password(password):
        person.set_password(password)
        person.save(update_fields=["password"])
    return person
