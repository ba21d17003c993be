"""Who is signed in at an array: by a session and its token, or by basic authentication."""

import base64
import secrets
import time

from starlette.requests import Request
from starlette.responses import JSONResponse, Response

from standins.redfish.answers import error_of, missing
from standins.redfish.shapes import ROOT, Resource

SESSION_SECONDS = 1800
SESSIONS = f"{ROOT}/SessionService/Sessions"


class Sessions:
    """The sessions of one array, and the accounts that may open them."""

    def __init__(self, passwords: dict[str, str]) -> None:
        """Let these people in, by name."""
        self.passwords = passwords
        self.open: dict[str, tuple[str, float, str]] = {}  # token: (id, expires, user)

    def clear(self) -> None:
        """End all of them, as an array does that begins anew."""
        self.open.clear()

    def paths(self) -> list[str]:
        """Return where they stand."""
        return [f"{SESSIONS}/{identifier}" for identifier, *_ in self.open.values()]

    async def begin(self, request: Request) -> Response:
        """Open one for a name and its password."""
        try:
            wanted = await request.json()
        except ValueError:
            return error_of(400, code="MalformedJSON", text="The request body is not JSON.")
        user = str(wanted.get("UserName"))
        if user not in self.passwords or wanted.get("Password") != self.passwords[user]:
            return error_of(401, code="InvalidAccount", text="User name or password is wrong.")
        token, identifier = secrets.token_hex(16), secrets.token_hex(4)
        self.open[token] = (identifier, time.monotonic() + SESSION_SECONDS, user)
        return JSONResponse(
            _told(identifier, user=user),
            status_code=201,
            headers={"X-Auth-Token": token, "Location": f"{SESSIONS}/{identifier}"},
        )

    def one(self, request: Request) -> Response:
        """Tell of one session, or end it."""
        wanted = request.path_params["session"]
        token = next((t for t, (i, *_) in self.open.items() if i == wanted), None)
        if token is None:
            return missing(request.url.path)
        if request.method == "DELETE":
            del self.open[token]
            return Response(status_code=204)
        return JSONResponse(_told(wanted, user=self.open[token][2]))

    def user_of(self, request: Request) -> str | None:
        """Return who asks, None where nobody signed in does."""
        token = request.headers.get("X-Auth-Token")
        if token is not None:
            _, expires, user = self.open.get(token, ("", 0.0, ""))
            return user if expires > time.monotonic() else None
        kind, _, coded = request.headers.get("Authorization", "").partition(" ")
        for user, password in self.passwords.items():
            wanted = base64.b64encode(f"{user}:{password}".encode()).decode()
            if kind.lower() == "basic" and secrets.compare_digest(coded, wanted):
                return user
        return None


def _told(identifier: str, *, user: str) -> Resource:
    return {
        "@odata.type": "#Session.v1_7_1.Session",
        "@odata.id": f"{SESSIONS}/{identifier}",
        "Id": identifier,
        "Name": "Session",
        "UserName": user,
    }
