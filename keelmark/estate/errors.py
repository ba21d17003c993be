"""What the estate refuses."""

from keelmark.access.errors import FieldFault, FormError, RefusalError


class EstateError(RefusalError):
    """Root of what the estate refuses."""


class UnknownParentError(EstateError):
    """A document names an array or a pool that nobody has told of."""

    title = "Unknown parent"
    kind = "unknown-parent"

    def __init__(self, *, uid: str, parent_uid: str) -> None:
        self.uid, self.parent_uid = uid, parent_uid
        super().__init__(f"{uid} lies in {parent_uid}, which is not known; send that first.")


class SiftError(FormError):
    """A sift cannot be read."""

    title = "Sift not understood"
    kind = "sift"

    def __init__(self, *, term: str, why: str) -> None:
        self.term, self.why = term, why
        fault = FieldFault(pointer="#/scope", code="sift", detail=why)
        super().__init__(f"“{term}”: {why}.", faults=(fault,))
