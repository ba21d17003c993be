"""The record of all of a kind, and totals, over the API."""

from drf_spectacular.utils import extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.rights import Right
from keelmark.core.forecast.record import HORIZONS_DAYS
from keelmark.estate import selectors as estate
from keelmark.estate.models import Kind
from keelmark.forecasts.api.pools import Record
from keelmark.forecasts.api.standing import SUMS, CrossingsWanted, TogetherRead
from keelmark.forecasts.models import EstateRecord, Metric
from keelmark.forecasts.reading.together import total_of

TOTALS = [str(Kind.TENANT), str(Kind.SITE)]


class EstateRecordRead(serializers.ModelSerializer[EstateRecord]):
    """Medians over all of a kind, in percent of what each holds, after the days given."""

    metric = serializers.ChoiceField(choices=Metric.choices)
    days = serializers.SerializerMethodField()
    inside_percent = serializers.FloatField(
        allow_null=True, help_text="of the days tried that lay in the 80 % band"
    )
    n_came = serializers.IntegerField(help_text="reached their limit mark within 30 days")
    date_error_days = serializers.FloatField(
        allow_null=True, help_text="of those, from the date said 30 days ago; a median"
    )

    widening = serializers.SerializerMethodField(
        help_text="times as wide as its own past asks, every band is: the misses of all ask it"
    )

    class Meta:
        model = EstateRecord
        fields = (
            "kind", "metric", "made_at", "n_things", "days", "error_percent", "bias_percent",
            "n_tried", "inside_percent", "n_came", "date_error_days", "widening",
        )  # fmt: skip

    def get_days(self, record: EstateRecord) -> list[int]:
        return list(HORIZONS_DAYS)

    def get_widening(self, record: EstateRecord) -> float:
        told: float = record.widening.get("0", 1.0)
        return told


class EstateRecordView(APIView):
    """How right forecasts of one metric of all of a kind have been; of the whole estate."""

    rights = {"GET": Right.READ_FEEDS}

    @extend_schema(
        operation_id="forecast_record_read",
        parameters=[CrossingsWanted],
        responses={200: EstateRecordRead, 400: Problem, 404: Problem},
    )
    def get(self, request: Request) -> Response:
        form = CrossingsWanted(data=request.query_params)
        form.is_valid(raise_exception=True)
        found = EstateRecord.objects.filter(**form.validated_data).first()
        if found is None:
            raise exceptions.NotFound("Nothing of that kind was forecast yet.")
        return Response(EstateRecordRead(found).data)


class TotalWanted(serializers.Serializer[Record]):
    kind = serializers.ChoiceField(choices=TOTALS)


class TotalView(APIView):
    """Likely bytes of all tenants, or of all sites, with their total."""

    rations = {"GET": SUMS}

    @extend_schema(
        operation_id="together_total",
        parameters=[TotalWanted],
        responses={200: TogetherRead, 400: Problem, 404: Problem},
    )
    def get(self, request: Request) -> Response:
        form = TotalWanted(data=request.query_params)
        form.is_valid(raise_exception=True)
        kind = Kind(form.validated_data["kind"])
        seen = estate.entities_for(actor_of(request))
        told = total_of(kind, seen=seen, today=utc_today())
        if told is None:
            raise exceptions.NotFound(f"No {kind} is forecast yet.")
        return Response(TogetherRead(told).data)
