"""Django's handle on compliance."""

from django.apps import AppConfig


class ComplianceConfig(AppConfig):
    name = "keelmark.compliance"
    label = "compliance"
