"""Finds things of any kind by a part of their name, slips of the hand included."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import User
from django.contrib.postgres.search import TrigramWordSimilarity
from django.db import connection, transaction
from django.db.models import Case, IntegerField, Q, QuerySet, Value, When
from django.db.models.functions import Lower

from keelmark.estate import selectors as estate
from keelmark.estate.models import Kind

Named = QuerySet[Any, Any]  # Any: entities with what they are ordered by
MOST = 12
LEAST_CHARS = 2
HOW_NEAR = "SELECT set_config('pg_trgm.word_similarity_threshold', %s::text, true)"
LIKENESS = 0.3  # of a word in the name: two letters swapped in seven still find it
# Who is looked for most often comes first among names that fit alike.
ORDER = (
    Kind.POOL, Kind.VM, Kind.DATASTORE, Kind.ARRAY, Kind.VOLUME, Kind.CLUSTER, Kind.HOST,
    Kind.PROJECT, Kind.TENANT, Kind.SITE, Kind.BUCKET, Kind.DISK, Kind.SNAPSHOT,
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Jump:
    """A thing to jump to, and what tells it from others of its name."""

    id: int
    kind: str
    name: str
    site_name: str | None
    home_name: str | None


def jumps_for(actor: User, *, text: str, kinds: Sequence[str] = ORDER) -> list[Jump]:
    """Return what a person sees that is called like a text, what is called just so first."""
    words = [word for word in text.replace("·", " ").lower().split() if word]
    if not words or len("".join(words)) < LEAST_CHARS:
        return []
    seen = estate.entities_for(actor).filter(kind__in=kinds).annotate(low=Lower("name"))
    last = words[-1]
    found = list(_told(seen.filter(_has_all(words)), word=last))
    if not found:
        found = _alike(seen, word=last)
    homes = estate.homes_of([row["pk"] for row in found])
    return [
        Jump(
            id=row["pk"], kind=row["kind"], name=row["name"], site_name=row["site__name"],
            home_name=homes.get(row["pk"]),
        )
        for row in found
    ]  # fmt: skip


def _alike(seen: Named, *, word: str) -> list[dict[str, Any]]:  # Any: values of rows
    """What is called nearly so; the index of trigrams knows how near by a setting."""
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute(HOW_NEAR, [LIKENESS])
        like = seen.filter(low__trigram_word_similar=word).annotate(
            likeness=TrigramWordSimilarity(word, "low")
        )
        return list(_told(like, word=word, by="-likeness"))


def _has_all(words: list[str]) -> Q:
    """Every word stands in the name, or in that of the array or site that it is of."""
    matches = Q()
    for word in words:
        matches &= (
            Q(low__contains=word)
            | Q(site__name__icontains=word)
            | Q(as_pool__home__name__icontains=word)
        )
    return matches & Q(low__contains=words[-1])


def _told(seen: Named, *, word: str, by: str = "") -> Named:
    by_kind = Case(
        *(When(kind=kind, then=Value(at)) for at, kind in enumerate(ORDER)),
        default=Value(len(ORDER)),
        output_field=IntegerField(),
    )
    begins = Case(
        When(low=word, then=Value(0)), When(low__startswith=word, then=Value(1)),
        default=Value(2), output_field=IntegerField(),
    )  # fmt: skip
    order = [*([by] if by else []), "begins", "kind_order", "name", "pk"]
    told: Named = (
        seen.annotate(kind_order=by_kind, begins=begins)
        .order_by(*order)
        .values("pk", "kind", "name", "site__name")[:MOST]
    )
    return told
