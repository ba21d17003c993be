"""What compliance refuses."""

from collections.abc import Sequence

from keelmark.access.errors import FieldFault, FormError, RefusalError
from keelmark.core.policy.rules import Fault
from keelmark.core.qos.tiers import TierFault


class ComplianceError(RefusalError):
    """Root of what compliance refuses."""


class PolicyNameTakenError(ComplianceError):
    """A policy of this name stands already."""

    title = "Name taken"
    kind = "policy-name-taken"
    status = 409

    def __init__(self, *, name: str) -> None:
        self.name = name
        super().__init__(f"A policy {name} stands already; revise it, or choose another name.")


class RulesError(FormError):
    """Rules that are wrong or contradict each other, each told with its field."""

    title = "Rules do not go together"
    kind = "rules"

    def __init__(self, faults: Sequence[Fault]) -> None:
        self.rule_faults = tuple(faults)
        told = tuple(
            FieldFault(
                pointer="#/" + "/".join(part for part in ("rules", one.rule, one.field) if part),
                code="rule",
                detail=one.why,
            )
            for one in faults
        )
        super().__init__("; ".join(f"{one.rule}: {one.why}" for one in faults), faults=told)


class TierNameTakenError(ComplianceError):
    """A tier of this name stands already."""

    title = "Name taken"
    kind = "tier-name-taken"
    status = 409

    def __init__(self, *, name: str) -> None:
        self.name = name
        super().__init__(f"A tier {name} stands already; revise it, or choose another name.")


class TierError(FormError):
    """A tier that promises what cannot be, each fault told with its field."""

    title = "Tier cannot be"
    kind = "tier"

    def __init__(self, faults: Sequence[TierFault]) -> None:
        self.tier_faults = tuple(faults)
        told = tuple(
            FieldFault(pointer=f"#/{one.field}", code="tier", detail=one.why) for one in faults
        )
        super().__init__("; ".join(f"{one.field}: {one.why}" for one in faults), faults=told)


class TooManyDisksError(ComplianceError):
    """More disks than can be replayed while somebody waits."""

    title = "Too many disks"
    kind = "too-many-disks"
    status = 422

    def __init__(self, *, n: int, most: int) -> None:
        self.n, self.most = n, most
        super().__init__(f"{n:,} disks are more than the {most:,} that are replayed at once: "
                         "narrow the scope, ask for fewer days, or choose one tier.")  # fmt: skip


class TooManyRowsError(ComplianceError):
    """More than a file takes while somebody waits."""

    title = "Too many rows"
    kind = "too-many-rows"
    status = 422

    def __init__(self, *, n: int, most: int) -> None:
        self.n, self.most = n, most
        super().__init__(f"{n:,} are more than the {most:,} that a file takes: narrow the scope, "
                         "or choose one policy or state.")  # fmt: skip
