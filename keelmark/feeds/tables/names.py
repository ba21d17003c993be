"""Finds the things that a table names: by uid, or by a name that only one of a kind has."""

import re

from keelmark.estate.models import Alias, Entity, Kind

_UID = re.compile(r"^(serial|uuid|naa|eui|nguid|wwn|iqn|id|path)\.[A-Za-z0-9._:/@+-]+$")


class Names:
    """Names of a whole kind, read once; a table is full of them."""

    def __init__(self) -> None:
        """Nothing is read before it is asked for."""
        self._by_kind: dict[str, dict[str, list[tuple[int, str]]]] = {}

    def uid_of(self, kind: Kind | None, text: str) -> str:
        """Return the uid that a text names, or raise ValueError in words."""
        if _UID.match(text):
            return text
        return self._one(kind, text)[1]

    def id_of(self, kind: Kind | None, text: str) -> int:
        """Return the entity that a text names, or raise ValueError in words."""
        if _UID.match(text):
            found = Alias.objects.filter(uid=text).values_list("entity_id", flat=True).first()
            if found is None:
                raise ValueError(f"nothing is known as {text}")
            return int(found)
        return self._one(kind, text)[0]

    def _one(self, kind: Kind | None, text: str) -> tuple[int, str]:
        known = self._of_kind(kind).get(text, [])
        word = str(kind) if kind else "thing"
        if not known:
            raise ValueError(f"no {word} is called {text}")
        if len(known) > 1:
            raise ValueError(f"{len(known)} of kind {word} are called {text}; give its uid")
        return known[0]

    def _of_kind(self, kind: Kind | None) -> dict[str, list[tuple[int, str]]]:
        key = str(kind)
        if key not in self._by_kind:
            things = Entity.objects.filter(retired_at=None)
            if kind is not None:
                things = things.filter(kind=kind)
            names: dict[str, list[tuple[int, str]]] = {}
            for pk, uid, name in things.values_list("pk", "uid", "name"):
                names.setdefault(name, []).append((pk, uid))
            self._by_kind[key] = names
        return self._by_kind[key]
