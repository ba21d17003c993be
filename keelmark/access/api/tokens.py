"""A person's own tokens over the API."""

from django.db.models import QuerySet
from drf_spectacular.utils import extend_schema
from rest_framework import mixins, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from keelmark.access import selectors
from keelmark.access.api.base import Problem, actor_of
from keelmark.access.models import ApiToken, Scope
from keelmark.access.rights import Right, require_confirmation
from keelmark.access.services.tokens import make_token, revoke_token


class TokenRead(serializers.ModelSerializer[ApiToken]):
    scopes = serializers.ListField(child=serializers.ChoiceField(choices=Scope.choices))

    class Meta:
        model = ApiToken
        fields = ("id", "name", "hint", "scopes", "made_at", "expires_at", "last_used_at")


class TokenMadeRead(TokenRead):
    secret = serializers.CharField(help_text="shown this once")

    class Meta(TokenRead.Meta):
        fields = (*TokenRead.Meta.fields, "secret")  # type: ignore[assignment]  # one more


class TokenWrite(serializers.Serializer[ApiToken]):
    name = serializers.CharField(max_length=200)
    scopes = serializers.ListField(
        child=serializers.ChoiceField(choices=Scope.choices), min_length=1, max_length=3
    )
    n_days = serializers.IntegerField(min_value=1, max_value=366, default=90)


class TokenViewSet(mixins.ListModelMixin, GenericViewSet[ApiToken]):
    """A person's own tokens."""

    queryset = ApiToken.objects.none()
    serializer_class = TokenRead
    pagination_class = None
    rights = {"list": Right.OWN, "create": Right.OWN, "destroy": Right.OWN}

    def get_queryset(self) -> QuerySet[ApiToken]:
        return selectors.tokens_for(actor_of(self.request))

    @extend_schema(request=TokenWrite, responses={201: TokenMadeRead, 400: Problem, 403: Problem})
    def create(self, request: Request) -> Response:
        """Make a token; its secret is told this once. Wants the password again."""
        require_confirmation(request)
        form = TokenWrite(data=request.data)
        form.is_valid(raise_exception=True)
        token, secret = make_token(actor=actor_of(request), **form.validated_data)
        token.secret = secret  # type: ignore[attr-defined]  # shown once
        return Response(TokenMadeRead(token).data, status=201)

    @extend_schema(responses={204: None, 404: Problem})
    def destroy(self, request: Request, pk: str | None = None) -> Response:
        revoke_token(actor=actor_of(request), token_id=self.get_object().pk)
        return Response(status=204)
