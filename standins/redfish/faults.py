"""The ways in which the service can be told to misbehave."""

from dataclasses import dataclass, field
from typing import Any

KINDS = frozenset(
    {"none", "busy", "slow", "truncated", "garbage", "expired", "sparse", "oversized", "negative",
     "overflow", "clock-ahead", "heedless", "locked", "hangs-up", "restless", "refuses",
     "half-done", "slow-task", "failing-task"}
)  # fmt: skip


@dataclass(slots=True)
class Faults:
    """What is wrong now, and for how many more answers (None: until told otherwise)."""

    kind: str = "none"
    n_left: int | None = None
    delay_seconds: float = 0.0
    retry_after_seconds: int | None = 1
    n_served: int = 0
    log: list[str] = field(default_factory=list)

    def set(self, wanted: dict[str, Any]) -> None:
        """Take on a fault; ValueError where there is none of that name."""
        kind = str(wanted.get("kind", "none"))
        if kind not in KINDS:
            raise ValueError(f"unknown fault {kind}")
        self.kind = kind
        self.n_left = wanted.get("count")
        self.delay_seconds = float(wanted.get("delay_seconds", 0.0))
        self.retry_after_seconds = wanted.get("retry_after_seconds", 1)

    def take(self, *kinds: str) -> bool:
        """Whether one of these faults strikes this answer; counts it off."""
        if self.kind not in kinds or self.n_left == 0:
            return False
        if self.n_left is not None:
            self.n_left -= 1
        return True
