"""Django's handle on scenarios."""

from django.apps import AppConfig


class ScenariosConfig(AppConfig):
    name = "keelmark.scenarios"
    label = "scenarios"

    def ready(self) -> None:
        """Every bearing can be read as a scenario."""
        from keelmark.bearings.selectors.picture import plan_by
        from keelmark.scenarios.selectors.kept import planned_for

        plan_by(planned_for)
