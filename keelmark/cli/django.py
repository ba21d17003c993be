"""Makes Django ready for commands that need the database."""

import os


def ready_django() -> None:
    """Load the settings of this installation, once."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keelmark.config.settings")
    import django
    from django.apps import apps

    if not apps.ready:
        django.setup()
