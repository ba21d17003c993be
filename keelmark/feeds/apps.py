"""Django's handle on feeds."""

from django.apps import AppConfig


class FeedsConfig(AppConfig):
    name = "keelmark.feeds"
    label = "feeds"
