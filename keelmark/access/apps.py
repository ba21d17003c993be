"""Django's handle on access."""

from django.apps import AppConfig


class AccessConfig(AppConfig):
    name = "keelmark.access"
    label = "access"
