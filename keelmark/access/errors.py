"""Refusals: what the API says no with, as RFC 9457 describes."""

from dataclasses import dataclass
from datetime import datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldFault:
    """One field that is wrong, and what would be right."""

    pointer: str
    code: str
    detail: str


class RefusalError(Exception):
    """Root of every refusal; subclasses set status and title."""

    status = 422
    title = "Refused"
    kind = "refused"

    def __init__(self, detail: str, *, faults: tuple[FieldFault, ...] = ()) -> None:
        self.detail, self.faults = detail, faults
        super().__init__(detail)


class FormError(RefusalError):
    """The request itself is wrong."""

    status = 400
    title = "Wrong form"
    kind = "wrong-form"


class SignInRefusedError(RefusalError):
    """No such person, or not this password."""

    status = 401
    title = "Sign-in refused"
    kind = "sign-in-refused"

    def __init__(self) -> None:
        super().__init__("No person with this name and password.")


class SignInLockedError(RefusalError):
    """Too many failed sign-ins of a name."""

    status = 429
    title = "Sign-in locked"
    kind = "sign-in-locked"

    def __init__(self, *, until: datetime) -> None:
        self.until = until
        super().__init__(f"Too many failed sign-ins; try again after {until:%H:%M} UTC.")


class NameTakenError(RefusalError):
    """There is a person of this name."""

    status = 409
    title = "Name taken"
    kind = "name-taken"

    def __init__(self, *, name: str) -> None:
        self.name = name
        fault = FieldFault(pointer="#/name", code="taken", detail="Choose another name.")
        super().__init__(f"There is a person {name} already.", faults=(fault,))
