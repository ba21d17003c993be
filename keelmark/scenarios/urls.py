"""Addresses of scenarios and placements."""

from django.urls import path

from keelmark.scenarios.api.allotments import (
    AllotmentsExportView,
    AllotmentsView,
    AllotmentView,
    DrawnVolumesView,
    DrawnVolumeView,
)
from keelmark.scenarios.api.answers import AnswerView
from keelmark.scenarios.api.holding import AcceptanceView, ReservationsView
from keelmark.scenarios.api.intake import IntakeView, MoreOfView, PlaceTogetherView
from keelmark.scenarios.api.objects import ObjectPlacementView
from keelmark.scenarios.api.orders import (
    OrderCarryingView,
    OrderProofView,
    OrderStepChangeView,
    OrderStepView,
    OrderView,
)
from keelmark.scenarios.api.outcomes import OutcomeView, ScenarioCourseView, TrialOutcomeView
from keelmark.scenarios.api.placements import PlacementView
from keelmark.scenarios.api.prices import PricesView
from keelmark.scenarios.api.scenarios import (
    MoveKindsView,
    MovesView,
    ScenarioCommentsView,
    ScenarioCopiesView,
    ScenarioNamesView,
    ScenarioRebaseView,
    ScenarioStepsView,
    ScenariosView,
    ScenarioView,
)

ONE = "scenarios/<int:scenario_id>"
urlpatterns = [
    path("placements", PlacementView.as_view(), name="placements"),
    path("placements/intake", IntakeView.as_view(), name="placement-intake"),
    path("placements/more-of", MoreOfView.as_view(), name="placement-more-of"),
    path("placements/together", PlaceTogetherView.as_view(), name="placement-together"),
    path("placements/objects", ObjectPlacementView.as_view(), name="placement-objects"),
    path("move-kinds", MoveKindsView.as_view(), name="move-kinds"),
    path("scenarios", ScenariosView.as_view(), name="scenarios"),
    path("scenarios/names", ScenarioNamesView.as_view(), name="scenario-names"),
    path(ONE, ScenarioView.as_view(), name="scenario"),
    path(f"{ONE}/moves", MovesView.as_view(), name="scenario-moves"),
    path(f"{ONE}/steps", ScenarioStepsView.as_view(), name="scenario-steps"),
    path(f"{ONE}/rebase", ScenarioRebaseView.as_view(), name="scenario-rebase"),
    path(f"{ONE}/copies", ScenarioCopiesView.as_view(), name="scenario-copies"),
    path(f"{ONE}/comments", ScenarioCommentsView.as_view(), name="scenario-comments"),
    path(f"{ONE}/answer", AnswerView.as_view(), name="scenario-answer"),
    path(f"{ONE}/acceptance", AcceptanceView.as_view(), name="scenario-acceptance"),
    path("allotments", AllotmentsView.as_view(), name="allotments"),
    path("allotments/export", AllotmentsExportView.as_view(), name="allotments-export"),
    path("allotments/<int:allotment_id>", AllotmentView.as_view(), name="allotment"),
    path("allotments/<int:allotment_id>/volumes", DrawnVolumesView.as_view(), name="drawn-volumes"),
    path(
        "allotments/<int:allotment_id>/volumes/<int:drawn_id>",
        DrawnVolumeView.as_view(),
        name="drawn-volume",
    ),
    path("prices", PricesView.as_view(), name="prices"),
    path("reservations", ReservationsView.as_view(), name="reservations"),
    path(f"{ONE}/order", OrderView.as_view(), name="scenario-order"),
    path(f"{ONE}/order/proof", OrderProofView.as_view(), name="scenario-order-proof"),
    path(f"{ONE}/order/steps/<int:place>", OrderStepView.as_view(), name="scenario-order-step"),
    path(f"{ONE}/order/carrying", OrderCarryingView.as_view(), name="scenario-order-carrying"),
    path(
        f"{ONE}/order/steps/<int:place>/change",
        OrderStepChangeView.as_view(),
        name="scenario-order-step-change",
    ),
    path(f"{ONE}/course/<int:entity_id>", ScenarioCourseView.as_view(), name="scenario-course"),
    path(f"{ONE}/outcome", OutcomeView.as_view(), name="scenario-outcome"),
    path("placements/outcome", TrialOutcomeView.as_view(), name="placement-outcome"),
]
