"""Django's handle on readings."""

from django.apps import AppConfig


class ReadingsConfig(AppConfig):
    name = "keelmark.readings"
    label = "readings"
