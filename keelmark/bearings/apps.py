"""Django's handle on bearings."""

from django.apps import AppConfig


class BearingsConfig(AppConfig):
    name = "keelmark.bearings"
    label = "bearings"
