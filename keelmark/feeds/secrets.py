"""Secrets of feeds: encrypted at rest, never shown again."""

from cryptography.fernet import Fernet
from django.conf import settings


def sealed(secret: str) -> bytes:
    """Return the secret as it is stored."""
    return Fernet(settings.FEED_KEY).encrypt(secret.encode())


def opened(stored: bytes | memoryview) -> str:
    """Return the secret for use at the far end, empty where none was ever given."""
    if not stored:
        return ""
    return Fernet(settings.FEED_KEY).decrypt(bytes(stored)).decode()
