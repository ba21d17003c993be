"""The ASGI application that the web server runs: the built front end, then Django."""

import os
from typing import cast

from django.core.asgi import get_asgi_application
from starlette.applications import Starlette
from starlette.middleware import Middleware
from starlette.middleware.gzip import GZipMiddleware
from starlette.responses import Response
from starlette.routing import BaseRoute, Mount
from starlette.staticfiles import StaticFiles
from starlette.types import ASGIApp, Scope

from keelmark.config.guard import Guard
from keelmark.config.state import PROJECT

GZIP_FROM_BYTES = 1000
BUILD = PROJECT / "web" / "build"


class Immutable(StaticFiles):
    """Files with their digest in the name: a browser need never ask again."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        response = await super().get_response(path, scope)
        if path.startswith("immutable"):
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


def _application() -> Starlette:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keelmark.config.settings")
    os.environ.setdefault("KEEL_POOL", "1")
    # Django compresses its own answers; only the files are left to Starlette's middleware.
    files = [Middleware(GZipMiddleware, minimum_size=GZIP_FROM_BYTES)]
    django = cast("ASGIApp", get_asgi_application())  # their stubs name the same shape apart
    routes: list[BaseRoute] = [Mount("/", app=django)]
    if BUILD.is_dir():
        built = Immutable(directory=BUILD / "_app")
        routes = [
            Mount("/_app", app=built, middleware=files),
            Mount("/static", app=StaticFiles(directory=BUILD), middleware=files),
            *routes,
        ]
    return Starlette(routes=routes, middleware=[Middleware(Guard)])


application = _application()
