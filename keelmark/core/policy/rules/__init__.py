"""All rules that a policy may hold, by the name under which they are kept."""

from dataclasses import asdict, fields
from typing import Final

from keelmark.core.errors import RangeError
from keelmark.core.policy.rules.base import Fault, Form, Known, Param, Rule
from keelmark.core.policy.rules.limits import HasTier, OvercommitCeiling, RunwayFloor
from keelmark.core.policy.rules.make import (
    Compressed,
    Deduplicated,
    Encrypted,
    OnMedia,
    Provisioning,
    Survives,
)
from keelmark.core.policy.rules.protect import (
    BackedUp,
    CopyElsewhere,
    SnapshotsEvery,
    SnapshotsKept,
)
from keelmark.core.policy.rules.where import Apart, Labelled, OverProtocol, Sites, Together

# In the order in which they are told, what loses data first.
RULES: Final[dict[str, type[Rule]]] = {
    rule.kind: rule
    for rule in (
        CopyElsewhere, Survives, SnapshotsEvery, SnapshotsKept, BackedUp, Encrypted, Sites, Apart,
        Together, OnMedia, Provisioning, Compressed, Deduplicated, OverProtocol, Labelled, HasTier,
        OvercommitCeiling, RunwayFloor,
    )
}  # fmt: skip
PLACE_OF: Final = {name: place for place, name in enumerate(RULES)}


def rule_of(kind: str, told: dict[str, object]) -> Rule:
    """Return a rule of what is kept of it; raise RangeError naming what it does not know."""
    rule = RULES.get(kind)
    if rule is None:
        raise RangeError(argument="kind", found=kind, wanted=f"one of {', '.join(RULES)}")
    known = {one.name for one in fields(rule)}
    for name in told:
        if name not in known:
            raise RangeError(argument=f"{kind}.{name}", found=told[name], wanted="no such field")
    kept = {name: tuple(one) if isinstance(one, list) else one for name, one in told.items()}
    try:
        return rule(**kept)
    except TypeError as exc:
        missing = sorted(one.name for one in rule.params if not one.is_optional)
        wanted = f"fields {', '.join(missing)}"
        raise RangeError(argument=kind, found=sorted(told), wanted=wanted) from exc


def told_of(rule: Rule) -> dict[str, object]:
    """Return what is kept of a rule."""
    return {
        name: list(one) if isinstance(one, tuple) else one for name, one in asdict(rule).items()
    }


__all__ = [
    "PLACE_OF", "RULES", "Apart", "BackedUp", "Compressed", "CopyElsewhere", "Deduplicated",
    "Encrypted", "Fault", "Form", "HasTier", "Known", "Labelled", "OnMedia", "OverProtocol",
    "OvercommitCeiling", "Param", "Provisioning", "Rule", "RunwayFloor", "Sites", "SnapshotsEvery",
    "SnapshotsKept", "Survives", "Together", "rule_of", "told_of",
]  # fmt: skip
