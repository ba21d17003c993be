"""What bytes cost over the API: the list that counts, those before it, and a new one."""

from dataclasses import asdict
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, Problem, Record, actor_of
from keelmark.access.rights import Right
from keelmark.access.versions import version_of, versioned, wanted_version
from keelmark.core.prices import Basis
from keelmark.forecasts.api.pools import Int64Field
from keelmark.scenarios.models import MAX_CURRENCY, MAX_NOTE, PriceRevision
from keelmark.scenarios.selectors.prices import classes_told, price_revisions
from keelmark.scenarios.services.pricing import draw_up_prices, facts_of_prices

BASES = [(one.value, one.value) for one in Basis]
DIGITS, DECIMALS = 14, 4


class ClassCostsRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    is_tier = serializers.BooleanField(help_text="of objects; else a service class of pools")
    price = serializers.DecimalField(
        max_digits=DIGITS,
        decimal_places=DECIMALS,
        allow_null=True,
        help_text="for a TiB and month; null: it has none",
    )
    n_pools = serializers.IntegerField(help_text="or buckets, of a tier")
    promised_bytes = Int64Field(allow_null=True)
    written_bytes = Int64Field(allow_null=True)
    costs_a_month = serializers.FloatField(allow_null=True, help_text="its pools, as it is")


class PriceRevisionRead(serializers.ModelSerializer[PriceRevision]):
    class Meta:
        model = PriceRevision
        fields = ("number", "currency", "basis", "by_class", "note", "made_at", "made_by")
        read_only_fields = fields
        extra_kwargs = {"basis": {"help_text": "which bytes are paid for"}}


class PricesRead(serializers.Serializer[Record]):
    version = serializers.CharField(help_text="for If-Match")
    number = serializers.IntegerField(help_text="of the revision that counts; 0: none was drawn up")
    currency = serializers.CharField(allow_blank=True)
    basis = serializers.ChoiceField(choices=BASES)
    note = serializers.CharField(allow_blank=True)
    classes = ClassCostsRead(many=True)
    revisions = PriceRevisionRead(many=True, help_text="the newest first")


class PricesWrite(serializers.Serializer[Record]):
    currency = serializers.CharField(max_length=MAX_CURRENCY)
    basis = serializers.ChoiceField(choices=BASES)
    by_class = serializers.DictField(
        child=serializers.DecimalField(max_digits=DIGITS, decimal_places=DECIMALS, min_value=0),
        help_text="a class left out has none",
    )
    note = serializers.CharField(max_length=MAX_NOTE, allow_blank=True, default="")


class PricesView(APIView):
    """What a TiB and month costs by service class."""

    rights = {"GET": Right.READ_FEEDS, "PUT": Right.PLAN}

    @extend_schema(operation_id="prices_read", responses={200: PricesRead})
    def get(self, request: Request) -> Response:
        return _answer()

    @extend_schema(
        operation_id="prices_draw_up", parameters=[IF_MATCH], request=PricesWrite,
        responses={200: PricesRead, 400: Problem, 403: Problem, 412: Problem, 428: Problem},
    )  # fmt: skip
    def put(self, request: Request) -> Response:
        """Draw up a new list, which counts from now on."""
        form = PricesWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told = form.validated_data
        draw_up_prices(
            actor=actor_of(request), seen_version=wanted_version(request),
            currency=told["currency"], basis=Basis(told["basis"]), by_class=told["by_class"],
            note=told["note"],
        )  # fmt: skip
        return _answer()


def _answer() -> Response:
    revisions = price_revisions()
    stands = revisions[0] if revisions else None
    facts = facts_of_prices(stands)
    told: dict[str, Any] = {  # Any: JSON
        "version": version_of(facts),
        "number": stands.number if stands else 0,
        "currency": stands.currency if stands else "",
        "basis": stands.basis if stands else Basis.PROMISED.value,
        "note": stands.note if stands else "",
        "classes": [asdict(one) for one in classes_told(stands)],
        "revisions": revisions,
    }
    return versioned(Response(PricesRead(told).data), facts=facts)
