"""Addresses of promises."""

from django.urls import path

from keelmark.compliance.api.lanes import (
    LaneGroupsView,
    LanesExportView,
    LanesView,
    ReplaysView,
)
from keelmark.compliance.api.offers import (
    OfferCausesView,
    OffersView,
    RightingsView,
    RightingView,
)
from keelmark.compliance.api.policies import (
    PoliciesView,
    PolicyDaysView,
    PolicyView,
    RevisionsView,
    RuleKindsView,
    TrialView,
)
from keelmark.compliance.api.pulse import PulseView
from keelmark.compliance.api.tiers import (
    TierNamingsView,
    TierRevisionsView,
    TiersView,
    TierView,
    UnknownNamesView,
)
from keelmark.compliance.api.verdicts import (
    PromisesView,
    ThingVerdictsView,
    VerdictChangesView,
    VerdictIdsView,
    VerdictsExportView,
    VerdictsView,
)

urlpatterns = [
    path("compliance/rules", RuleKindsView.as_view(), name="rule-kinds"),
    path("compliance/policies", PoliciesView.as_view(), name="policies"),
    path("compliance/policies/<int:policy_id>", PolicyView.as_view(), name="policy"),
    path(
        "compliance/policies/<int:policy_id>/revisions",
        RevisionsView.as_view(),
        name="policy-revisions",
    ),
    path("compliance/policies/<int:policy_id>/days", PolicyDaysView.as_view(), name="policy-days"),
    path("compliance/changes", VerdictChangesView.as_view(), name="verdict-changes"),
    path("compliance/tries", TrialView.as_view(), name="policy-tries"),
    path("compliance/promises", PromisesView.as_view(), name="policy-promises"),
    path("compliance/verdicts/<str:kind>", VerdictsView.as_view(), name="verdicts"),
    path("compliance/verdicts/<str:kind>/ids", VerdictIdsView.as_view(), name="verdict-ids"),
    path(
        "compliance/verdicts/<str:kind>/export",
        VerdictsExportView.as_view(),
        name="verdicts-export",
    ),
    path("compliance/things/<int:entity_id>", ThingVerdictsView.as_view(), name="thing-verdicts"),
    path("compliance/tiers", TiersView.as_view(), name="tiers"),
    path("compliance/tiers/<int:tier_id>", TierView.as_view(), name="tier"),
    path(
        "compliance/tiers/<int:tier_id>/revisions",
        TierRevisionsView.as_view(),
        name="tier-revisions",
    ),
    path("compliance/names", UnknownNamesView.as_view(), name="unknown-names"),
    path("compliance/namings", TierNamingsView.as_view(), name="tier-namings"),
    path("compliance/offers/<str:kind>", OffersView.as_view(), name="offers"),
    path(
        "compliance/volumes/<int:entity_id>/causes",
        OfferCausesView.as_view(),
        name="offer-causes",
    ),
    path("compliance/pulse", PulseView.as_view(), name="pulse"),
    path("compliance/rightings", RightingsView.as_view(), name="rightings"),
    path("compliance/rightings/<int:entity_id>", RightingView.as_view(), name="righting"),
    path("compliance/lanes/export", LanesExportView.as_view(), name="lanes-export"),
    path("compliance/lanes/by/<str:kind>", LaneGroupsView.as_view(), name="lane-groups"),
    path("compliance/lanes", LanesView.as_view(), name="lanes"),
    path("compliance/replays", ReplaysView.as_view(), name="replays"),
]
