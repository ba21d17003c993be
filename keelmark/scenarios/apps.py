"""Django's handle on scenarios."""

from django.apps import AppConfig


class ScenariosConfig(AppConfig):
    name = "keelmark.scenarios"
    label = "scenarios"

    def ready(self) -> None:
        """Every bearing can be read as a scenario; what comes of feeds moves work orders."""
        from keelmark.bearings.selectors.picture import plan_by
        from keelmark.feeds.signals import change_ended, collected
        from keelmark.scenarios.selectors.kept import planned_for
        from keelmark.scenarios.services.carrying import ask_for_proof

        plan_by(planned_for)
        for signal in (change_ended, collected):
            signal.connect(ask_for_proof, dispatch_uid="work orders")
