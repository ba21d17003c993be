"""Moves of objects: bytes put into a tier of a bucket."""

from dataclasses import dataclass

from keelmark.core.estate.kinds import OBJECT_TIERS
from keelmark.core.scenario.moves.base import (
    DAYS_A_WEEK,
    Ask,
    Fault,
    Form,
    Move,
    Parts,
    absent,
    found,
    titled,
)
from keelmark.core.scenario.sight import At, Holds
from keelmark.core.scenario.stage import Stage
from keelmark.core.units import EIB


@dataclass(frozen=True, kw_only=True)
class PlaceObjects(Move):
    """Objects come into a tier of a bucket, and grow."""

    kind = "place_objects"
    title = "Put objects into a bucket"
    about = "they come into a tier of it, and grow"
    asks = (
        Ask(name="bucket", label="Bucket", form=Form.THING, kinds=("bucket",)),
        Ask(name="tier", label="In tier", form=Form.CHOICE, choices=OBJECT_TIERS),
        Ask(name="first_bytes", label="Objects at first", form=Form.BYTES),
        Ask(name="bytes_a_week", label="Growth a week", form=Form.BYTES_A_WEEK, is_optional=True),
    )
    bucket: int
    tier: str
    first_bytes: int
    bytes_a_week: int | None = None

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        account = stage.link(found(stage, self.bucket), "account", to="account")
        quota = None if account is None else stage.amount(account, "quota")
        if account is None or quota is None:
            return []
        held = [stage.expected(one, quantile=0.5) for one in _buckets(stage, account)]
        used = sum(one for one in held if one is not None)
        if used + self.first_bytes > quota:
            return [
                Fault(
                    field="first_bytes",
                    says=(
                        f"the quota of {stage.name(account)} lacks ",
                        used + self.first_bytes - quota, " on this day",
                    ),
                    would_be="set a higher quota first, or put fewer",
                )
            ]  # fmt: skip
        return []

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        bucket = found(stage, self.bucket)
        stage.add(bucket, self.tier, self.first_bytes)
        stage.course_of(
            bucket,
            Holds(
                used_bytes=self.first_bytes, most_bytes=EIB,
                bytes_per_day=(self.bytes_a_week or 0) / DAYS_A_WEEK,
            ),
        )  # fmt: skip

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        line: Parts = ("Put ", self.first_bytes, f" into {titled(stage, self.bucket)}, {self.tier}")
        return line, ("growing ", self.bytes_a_week, " a week") if self.bytes_a_week else ()


def _buckets(stage: Stage, account: At) -> list[At]:
    return stage.linked("bucket", "account", to=account)
