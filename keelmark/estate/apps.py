"""Django's handle on estate."""

from django.apps import AppConfig


class EstateConfig(AppConfig):
    name = "keelmark.estate"
    label = "estate"
