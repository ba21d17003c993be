"""Every address: the API, its schema, and the page for all else."""

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularJSONAPIView


def page(request: HttpRequest) -> HttpResponse | FileResponse:
    """Return the single page; its own router reads the address."""
    index = settings.WEB_BUILD / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built: run ./keel demo.", status=503)
    response = HttpResponse(index.read_bytes(), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def unknown(request: HttpRequest) -> HttpResponse:
    """Tell in the API's own manner that there is no such address."""
    told = "There is no such address in the API."
    return _problem(request, status=404, kind="not-found", title="Not found", detail=told)


def refused(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Tell in the same manner what was refused before anyone looked at it: a host that is none."""
    told = "What the request says of itself is not how a request is written."
    return _problem(request, status=400, kind="wrong-form", title="Wrong form", detail=told)


def _problem(
    request: HttpRequest, *, status: int, kind: str, title: str, detail: str
) -> HttpResponse:
    return JsonResponse(
        {
            "type": f"/problems/{kind}",
            "title": title,
            "status": status,
            "detail": detail,
            "instance": request.path,
        },
        status=status,
        content_type="application/problem+json",
    )


handler400 = refused


urlpatterns = [
    path("api/v1/", include("keelmark.access.urls")),
    path("api/v1/", include("keelmark.estate.urls")),
    path("api/v1/", include("keelmark.feeds.urls")),
    path("api/v1/", include("keelmark.forecasts.urls")),
    path("api/v1/", include("keelmark.bearings.urls")),
    path("api/v1/", include("keelmark.compliance.urls")),
    path("api/v1/", include("keelmark.scenarios.urls")),
    path("api/v1/openapi.json", SpectacularJSONAPIView.as_view(), name="openapi"),
    re_path(r"^api/", unknown, name="unknown"),
    re_path(r"^(?!api/|static/|_app/).*$", page, name="page"),
]
