"""Kinds as people say them."""

_PLAIN = {"vm": "VM", "host-device": "host device", "disk": "virtual disk"}
_VOWELS = "aeiou"


def kind_word(kind: str) -> str:
    """Return the word for a kind: VM, host device."""
    return _PLAIN.get(kind, kind)


def with_article(kind: str) -> str:
    """Return a kind with its article: an array, a pool."""
    word = kind_word(kind)
    return f"{'an' if word[0].lower() in _VOWELS else 'a'} {word}"
