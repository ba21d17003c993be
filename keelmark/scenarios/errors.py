"""What scenarios refuse."""

from keelmark.access.errors import FieldFault, FormError, RefusalError
from keelmark.core.scenario.moves import MoveFieldError


class ScenarioError(RefusalError):
    """Root of what scenarios refuse."""


class MoveError(FormError):
    """A move that cannot be read, told with its place in the list and its field."""

    title = "Move cannot be read"
    kind = "move"

    def __init__(self, fault: MoveFieldError, *, place: int) -> None:
        told = FieldFault(
            pointer=f"#/moves/{place}/fields/{fault.field}", code="move", detail=fault.wanted
        )
        super().__init__(
            f"Move {place + 1}, {fault.move}: {fault.field}: {fault.wanted}.", faults=(told,)
        )


class NothingToTakeBackError(ScenarioError):
    """There is no change to take back, or to do again."""

    title = "Nothing there"
    kind = "nothing-there"
    status = 409

    def __init__(self, *, what: str) -> None:
        super().__init__(f"There is nothing to {what} in this scenario.")


class NotDraftError(ScenarioError):
    """What was accepted stands as it was accepted."""

    title = "Accepted"
    kind = "accepted"
    status = 409

    def __init__(self, *, name: str, would_be: str) -> None:
        super().__init__(f"{name} was accepted; {would_be}.")


class NotAcceptedError(ScenarioError):
    """There is nothing that is held."""

    title = "Not accepted"
    kind = "not-accepted"
    status = 409

    def __init__(self, *, name: str) -> None:
        super().__init__(f"{name} is not accepted, so nothing is held for it.")


class NoOrderError(ScenarioError):
    """Of this scenario nothing is being carried out."""

    title = "No work order"
    kind = "no-order"
    status = 404

    def __init__(self, *, name: str) -> None:
        super().__init__(f"{name} has no work order.")


class StepError(ScenarioError):
    """A step that cannot be told to stand so."""

    title = "Step stands otherwise"
    kind = "step"
    status = 409

    def __init__(self, *, why: str) -> None:
        super().__init__(why)


class AllottedError(ScenarioError):
    """A tenant has one allotment of a pool, and no other beside it."""

    title = "Allotted already"
    kind = "allotted"
    status = 409

    def __init__(self, *, tenant: str, pool: str) -> None:
        super().__init__(f"{tenant} has an allotment of {pool}: change that one.")


class BeyondError(ScenarioError):
    """More than there is to be given, or taken: by how many bytes is told."""

    title = "Beyond what there is"
    kind = "beyond"

    def __init__(self, *, field: str, of: str, n_left: int, beyond: int, would_be: str) -> None:
        told = f"{of} leaves {n_left:,} bytes, {beyond:,} fewer than that: {would_be}."
        fault = FieldFault(pointer=f"#/{field}", code="too_high", detail=told)
        super().__init__(told, faults=(fault,))


class DrawnError(ScenarioError):
    """A volume of an allotment with which that cannot be done as it stands."""

    title = "Volume stands otherwise"
    kind = "drawn"
    status = 409

    def __init__(self, *, why: str) -> None:
        super().__init__(why)


class WordError(ScenarioError):
    """What is lost by a step is named by who has it carried out."""

    title = "Say what is lost"
    kind = "word"
    status = 409

    def __init__(self, *, name: str) -> None:
        told = f"Type {name}: it is gone for good then." if name else "Nothing is lost by it."
        super().__init__(told)


class BarredError(ScenarioError):
    """A plan of which a move cannot be is not accepted."""

    title = "A move cannot be"
    kind = "barred"
    status = 409

    def __init__(self, *, name: str, barred: str) -> None:
        super().__init__(f"{name} cannot be accepted: {barred}.")


class DroppedError(ScenarioError):
    """A scenario that was dropped is not changed."""

    title = "Dropped"
    kind = "dropped"
    status = 409

    def __init__(self, *, name: str) -> None:
        super().__init__(f"{name} was dropped; take it up again first.")
