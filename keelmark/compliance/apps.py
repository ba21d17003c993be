"""Django's handle on compliance."""

from django.apps import AppConfig


class ComplianceConfig(AppConfig):
    name = "keelmark.compliance"
    label = "compliance"

    def ready(self) -> None:
        """What is promised and kept can be sifted by, as what is read can."""
        from keelmark.compliance.selectors.fields import tell_fields

        tell_fields()
