"""What bearings refuse."""

from keelmark.access.errors import FieldFault, FormError, RefusalError
from keelmark.core.errors import SiftFault


class BearingError(RefusalError):
    """Root of what bearings refuse."""


class NotUnderstoodError(FormError):
    """A sift cannot be read, or means nothing; tells where in it and what would be right."""

    title = "Sift not understood"
    kind = "sift"

    def __init__(self, fault: SiftFault, *, text: str) -> None:
        self.fault, self.text = fault, text
        begin, end = fault.span
        told = FieldFault(pointer=f"#/scope/{begin}-{end}", code="sift", detail=fault.why)
        super().__init__(f"The sift, {fault}", faults=(told,))


class NoPictureError(BearingError):
    """Nothing was read yet."""

    title = "Nothing read yet"
    kind = "nothing-read"

    def __init__(self) -> None:
        super().__init__("Nothing was read of the estate yet: add a feed, or wait for its first.")


def wrong_column(name: str, *, kind: str, known: list[str]) -> FormError:
    """Return the refusal of a column that a kind has not."""
    told = f"A {kind} has no {name[:40]}: use {', '.join(known)}."
    fault = FieldFault(pointer="#/columns", code="unknown", detail=told)
    return FormError(told, faults=(fault,))
