"""What compliance refuses."""

from collections.abc import Sequence

from keelmark.access.errors import FieldFault, FormError, RefusalError
from keelmark.core.policy.rules import Fault


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
