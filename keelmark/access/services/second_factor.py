"""A second factor: codes of a generator that a person keeps (RFC 6238, by pyotp)."""

from datetime import UTC, datetime

import pyotp
import segno
from cryptography.fernet import Fernet
from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access.errors import CodeWantedError, wrong_field
from keelmark.access.models import SecondFactor
from keelmark.access.services.audit import audit

STEP_SECONDS = 30
DRIFT_STEPS = 1  # a clock may be half a minute off
ISSUER = "Keel Mark"


def has_second_factor(person: User) -> bool:
    """Whether a person has a generator that a code has confirmed."""
    return SecondFactor.objects.filter(user=person, confirmed_at__isnull=False).exists()


@transaction.atomic
def begin_factor(*, actor: User) -> tuple[str, str, str]:
    """Make a secret that a code must confirm; return it, its address and a picture (SVG)."""
    kept = SecondFactor.objects.select_for_update().filter(user=actor).first()
    if kept is not None and kept.confirmed_at is not None:
        raise wrong_field("code", "You have a generator; take it off before you set up another.")
    secret = pyotp.random_base32()
    SecondFactor.objects.update_or_create(
        user=actor,
        defaults={
            "secret_encrypted": _box().encrypt(secret.encode()),
            "made_at": datetime.now(UTC),
            "last_step": 0,
        },
    )
    address = pyotp.TOTP(secret).provisioning_uri(name=actor.get_username(), issuer_name=ISSUER)
    picture = segno.make(address, micro=False).svg_inline(scale=4, border=2)
    return secret, address, picture


@transaction.atomic
def confirm_factor(*, actor: User, code: str) -> None:
    """Have the generator count from now on; its first code shows that it works."""
    if not _is_good(actor, code=code, confirmed=False):
        raise CodeWantedError(was_wrong=True)
    SecondFactor.objects.filter(user=actor).update(confirmed_at=datetime.now(UTC))
    audit(actor, action="set up second factor", kind="person", subject_id=actor.pk,
          name=actor.get_username())  # fmt: skip


@transaction.atomic
def drop_factor(*, actor: User) -> None:
    """Take one's own generator off."""
    if SecondFactor.objects.filter(user=actor).delete()[0]:
        audit(actor, action="drop second factor", kind="person", subject_id=actor.pk,
              name=actor.get_username())  # fmt: skip


def check_code(person: User, *, code: str) -> None:
    """Raise CodeWantedError unless the person has no generator or the code is good, once."""
    if not has_second_factor(person):
        return
    if not code:
        raise CodeWantedError(was_wrong=False)
    if not _is_good(person, code=code, confirmed=True):
        raise CodeWantedError(was_wrong=True)


@transaction.atomic
def _is_good(person: User, *, code: str, confirmed: bool) -> bool:
    kept = (
        SecondFactor.objects.select_for_update()
        .filter(user=person, confirmed_at__isnull=not confirmed)
        .first()
    )
    if kept is None:
        return False
    generator = pyotp.TOTP(_box().decrypt(bytes(kept.secret_encrypted)).decode())
    now = datetime.now(UTC)
    step = int(now.timestamp()) // STEP_SECONDS
    bare = "".join(letter for letter in code if letter.isascii() and letter.isdigit())
    for one in range(step - DRIFT_STEPS, step + DRIFT_STEPS + 1):
        if one > kept.last_step and pyotp.utils.strings_equal(
            bare, generator.at(one * STEP_SECONDS)
        ):
            kept.last_step = one
            kept.save(update_fields=["last_step"])
            return True
    return False


def _box() -> Fernet:
    return Fernet(settings.FEED_KEY)
