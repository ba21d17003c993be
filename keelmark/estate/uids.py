"""Spells uids."""

_PLAIN = frozenset("._:/@+-")


def safe_uid(text: str) -> str:
    """Return a text with a hyphen for whatever a uid may not hold."""
    return "".join(c if c.isascii() and (c.isalnum() or c in _PLAIN) else "-" for c in text)
