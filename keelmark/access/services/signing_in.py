"""Signing in: every attempt is counted before it is checked, and slowed when there are many.

Nobody is locked out, since then anybody could lock out anybody. A browser in which a person has
signed in before is counted by itself: however many guess elsewhere, it is let in.
"""

from datetime import UTC, datetime

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.models import User
from django.core import signing
from django.http import HttpRequest
from django.utils.crypto import get_random_string

from keelmark.access.errors import RefusalError, SignInRefusedError, wrong_field
from keelmark.access.models import KeptSession
from keelmark.access.origin import current_address, network_of
from keelmark.access.passwords import normal_name
from keelmark.access.services.allowances import Ration, give_back, spend
from keelmark.access.services.audit import audit
from keelmark.access.services.second_factor import check_code
from keelmark.access.sessions import ADDRESS, AGENT, BEGAN

PER_NAME = Ration(n_at_once=10, every_seconds=40)  # ninety an hour
PER_DEVICE = Ration(n_at_once=10, every_seconds=20)
DEVICE = "device"  # what the cookie of a known browser is signed for
DEVICE_DAYS = 180
CONFIRMED = "confirmed_at"
MAX_AGENT = 200


def sign_in(request: HttpRequest, *, name: str, password: str, code: str = "") -> User:
    """Sign a person in for this browser, or refuse."""
    normal = normal_name(name)
    device = device_of(request, name=normal)
    by_address = f"sign-in from {network_of(current_address())}"
    by_name = f"sign-in on {device}" if device else f"sign-in as {normal}"
    spend(by_address, ration=per_address())
    spend(by_name, ration=PER_DEVICE if device else PER_NAME)
    person = authenticate(request, username=normal, password=password)
    if not isinstance(person, User):
        audit(None, action="fail sign-in", kind="person", name=normal)
        raise SignInRefusedError
    try:
        check_code(person, code=code)
    except RefusalError:
        if code:
            audit(None, action="fail code", kind="person", subject_id=person.pk, name=normal)
        raise
    give_back(by_address)
    give_back(by_name)
    begin(request, person=person)
    audit(person, action="sign in", kind="person", subject_id=person.pk, name=normal)
    return person


def per_address() -> Ration:
    """Return what one address may try; many people may come from one."""
    return Ration(n_at_once=settings.SIGN_INS_AT_ONCE, every_seconds=10)


def begin(request: HttpRequest, *, person: User) -> None:
    """Begin a session under a new key, with where it is from."""
    now = datetime.now(UTC)
    login(request, person, backend="django.contrib.auth.backends.ModelBackend")
    request.session[BEGAN] = now.isoformat()
    request.session[CONFIRMED] = now.timestamp()
    request.session[ADDRESS] = current_address()
    request.session[AGENT] = str(request.headers.get("User-Agent") or "")[:MAX_AGENT]


def sign_out(request: HttpRequest) -> None:
    """End the session of this browser."""
    if isinstance(request.user, User):
        audit(request.user, action="sign out", kind="person", subject_id=request.user.pk,
              name=request.user.get_username())  # fmt: skip
    logout(request)


def confirm(request: HttpRequest, *, actor: User, password: str, code: str = "") -> None:
    """Take the password again, for what wants it."""
    ration_password(actor)
    if not actor.check_password(password):
        audit(actor, action="fail confirmation", kind="person", subject_id=actor.pk,
              name=actor.get_username())  # fmt: skip
        raise wrong_field("password", "This is not your password.", code="password")
    check_code(actor, code=code)
    give_back(f"confirm {actor.pk}")
    request.session[CONFIRMED] = datetime.now(UTC).timestamp()


def ration_password(actor: User) -> None:
    """Spend of what one may guess at one's own password or code."""
    spend(f"confirm {actor.pk}", ration=PER_DEVICE)


def end_session(*, actor: User, session_id: str) -> bool:
    """End one of one's own sessions; return whether there was one."""
    for kept in KeptSession.objects.filter(user=actor):
        if public_id(kept) == session_id:
            kept.delete()
            audit(actor, action="end session", kind="person", subject_id=actor.pk,
                  name=actor.get_username(), after={"from": kept.address})  # fmt: skip
            return True
    return False


def public_id(kept: KeptSession) -> str:
    """Return what a session is called outside; its key lets in whoever has it."""
    return signing.Signer(salt="session").signature(kept.session_key)[:16]


def device_of(request: HttpRequest, *, name: str) -> str:
    """Return which known browser of this person asks; empty where it is none."""
    told = request.COOKIES.get(settings.DEVICE_COOKIE_NAME, "")
    try:
        known, person = signing.loads(told, salt=DEVICE, max_age=DEVICE_DAYS * 86_400)
    except (signing.BadSignature, ValueError, TypeError):
        return ""
    return str(known) if person == name else ""


def device_cookie(name: str) -> str:
    """Return what a browser keeps of having let this person in."""
    return signing.dumps([get_random_string(22), name], salt=DEVICE)
