"""What the estate refuses."""

from keelmark.access.errors import FieldFault, FormError, RefusalError
from keelmark.core.errors import SiftFault
from keelmark.estate.words import with_article


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
    """A sift cannot be read, or means nothing; tells where in it and what would be right."""

    title = "Sift not understood"
    kind = "sift"

    def __init__(self, fault: SiftFault) -> None:
        self.fault = fault
        told = FieldFault(pointer="#/scope", code="sift", detail=fault.why)
        super().__init__(f"The sift, {fault}", faults=(told,))


class OtherKindError(EstateError):
    """A uid that is known as one kind is told of as another."""

    title = "Other kind"
    kind = "other-kind"

    def __init__(self, *, uid: str, is_kind: str, told_kind: str) -> None:
        self.uid, self.is_kind, self.told_kind = uid, is_kind, told_kind
        told = f"{with_article(is_kind)}, not {with_article(told_kind)}"
        super().__init__(f"{uid} is {told}; give each its own uid.")


class UnknownFactError(EstateError):
    """A fact that things of this kind do not have, or not in this form."""

    title = "Unknown fact"
    kind = "unknown-fact"

    def __init__(self, *, kind: str, name: str, why: str) -> None:
        self.thing, self.name, self.why = kind, name, why
        super().__init__(f"{name} of a {kind} {why}.")


class NotYourNoteError(EstateError):
    """A note of somebody else."""

    status = 403
    title = "Not your note"
    kind = "not-your-note"

    def __init__(self, *, author: str) -> None:
        self.author = author
        super().__init__(f"{author} wrote this note: only they or an administrator change it.")
