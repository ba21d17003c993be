"""The content security policy: the page names its own scripts, answers of the API run nothing."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

# The page's own <meta> policy carries the digests of its inline start-up script.
PAGE = "frame-ancestors 'none'; base-uri 'self'; object-src 'none'; form-action 'self'"
ANSWER = "default-src 'none'; frame-ancestors 'none'"
PERMISSIONS = "camera=(), geolocation=(), microphone=(), payment=(), usb=()"


class PolicyMiddleware:
    """Sets the policy on every answer that has none."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        is_page = response.headers.get("Content-Type", "").startswith("text/html")
        response.headers.setdefault("Content-Security-Policy", PAGE if is_page else ANSWER)
        response.headers.setdefault("Permissions-Policy", PERMISSIONS)
        return response
