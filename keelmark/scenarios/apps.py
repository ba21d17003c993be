"""Django's handle on scenarios."""

from django.apps import AppConfig


class ScenariosConfig(AppConfig):
    name = "keelmark.scenarios"
    label = "scenarios"
