"""Django's handle on forecasts."""

from django.apps import AppConfig


class ForecastsConfig(AppConfig):
    name = "keelmark.forecasts"
    label = "forecasts"
