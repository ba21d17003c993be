"""Passwords and names: how many are hashed at once, and what a person may be called."""

import threading
import unicodedata
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from confusable_homoglyphs import confusables
from django.contrib.auth.hashers import Argon2PasswordHasher

from keelmark.access.errors import FormError, HashingBusyError, wrong_field

AT_ONCE = 2  # a process: each takes 100 MiB while it is checked
WAIT_SECONDS = 5.0
RETRY_SECONDS = 2.0
_turn = threading.BoundedSemaphore(AT_ONCE)


class BoundedArgon2(Argon2PasswordHasher):
    """Argon2, but for a few at once: guesses must not eat the memory of the server."""

    def encode(self, password: str, salt: str) -> str:
        with _one_at_a_turn():
            told: str = super().encode(password, salt)
            return told

    def verify(self, password: str, encoded: str) -> bool:
        with _one_at_a_turn():
            return bool(super().verify(password, encoded))

    def harden_runtime(self, password: str, encoded: str) -> None:
        """Argon2 takes the same for every password of one setting."""


@contextmanager
def _one_at_a_turn() -> Iterator[None]:
    if not _turn.acquire(timeout=WAIT_SECONDS):
        raise HashingBusyError(wait_seconds=RETRY_SECONDS)
    try:
        yield
    finally:
        _turn.release()


def normal_name(name: str) -> str:
    """Return a name in the one form in which it is kept and compared (NFKC)."""
    return unicodedata.normalize("NFKC", name).strip()


def checked_name(name: str) -> str:
    """Return a new person's name, or refuse one that could be taken for another's."""
    normal = normal_name(name)
    if not normal or not all(letter.isalnum() or letter in "_.@+-" for letter in normal):
        raise wrong_field("name", "Use letters, digits and _ . @ + - alone.")
    if confusables.is_mixed_script(normal):
        raise wrong_field("name", "Use letters of one script: mixed ones look like other names.")
    return normal


def validation_fault(exc: Any, *, field: str) -> FormError:  # Any: Django's ValidationError
    """Return Django's words about a password as the refusal of a field."""
    return wrong_field(field, " ".join(exc.messages), code="password")
