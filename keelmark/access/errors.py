"""Refusals: what the API says no with, as RFC 9457 describes."""

import math
from dataclasses import dataclass
from typing import Any


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
    wait_seconds: float | None = None  # after which it may be tried again
    stands: dict[str, Any] | None = None  # Any: JSON of what stands now

    def __init__(self, detail: str, *, faults: tuple[FieldFault, ...] = ()) -> None:
        self.detail, self.faults = detail, faults
        super().__init__(detail)


class FormError(RefusalError):
    """The request itself is wrong."""

    status = 400
    title = "Wrong form"
    kind = "wrong-form"


def wrong_field(field: str, told: str, *, code: str = "wrong") -> FormError:
    """Return the refusal of one field."""
    return FormError(told, faults=(FieldFault(pointer=f"#/{field}", code=code, detail=told),))


class SignInRefusedError(RefusalError):
    """No such person, or not this password."""

    status = 401
    title = "Sign-in refused"
    kind = "sign-in-refused"

    def __init__(self) -> None:
        super().__init__("No person with this name and password.")


class CodeWantedError(RefusalError):
    """The password is right; a code of the second factor is wanted."""

    status = 401
    title = "Code wanted"
    kind = "code-wanted"

    def __init__(self, *, was_wrong: bool) -> None:
        told = "Give the code that your generator shows now."
        if was_wrong:
            told = "This code is wrong, past its time, or was used already."
        super().__init__(told, faults=(FieldFault(pointer="#/code", code="code", detail=told),))


class TooOftenError(RefusalError):
    """Something rationed was asked for too often."""

    status = 429
    title = "Too often"
    kind = "too-often"

    def __init__(self, *, wait_seconds: float) -> None:
        self.wait_seconds = wait_seconds
        super().__init__(f"That was asked too often; try again in {math.ceil(wait_seconds)} s.")


class HashingBusyError(RefusalError):
    """Too many passwords are being checked at once."""

    status = 503
    title = "Busy"
    kind = "busy"

    def __init__(self, *, wait_seconds: float) -> None:
        self.wait_seconds = wait_seconds
        super().__init__("Many sign in at once; try again in a moment.")


class NameTakenError(RefusalError):
    """There is a person of this name."""

    status = 409
    title = "Name taken"
    kind = "name-taken"

    def __init__(self, *, name: str) -> None:
        self.name = name
        fault = FieldFault(pointer="#/name", code="taken", detail="Choose another name.")
        super().__init__(f"There is a person {name} already.", faults=(fault,))


class LastAdministratorError(RefusalError):
    """Without this person nobody could look after people any more."""

    status = 409
    title = "Last administrator"
    kind = "last-administrator"

    def __init__(self, *, name: str) -> None:
        self.name = name
        super().__init__(f"{name} is the last administrator in service: make another one first.")


class PasswordWantedError(RefusalError):
    """What is asked for wants the password again."""

    status = 403
    title = "Password wanted"
    kind = "password-wanted"

    def __init__(self) -> None:
        super().__init__("Give your password again: this bears on who may come in.")


class NotByTokenError(RefusalError):
    """Tokens may not make what lets others in."""

    status = 403
    title = "Not by token"
    kind = "not-by-token"

    def __init__(self) -> None:
        super().__init__("No token may do this, whatever its scopes; sign in and do it yourself.")


class PasswordChangeWantedError(RefusalError):
    """The password was chosen by somebody else."""

    status = 403
    title = "Change your password"
    kind = "change-password"

    def __init__(self) -> None:
        super().__init__("Your password was set by somebody else: choose your own first.")


class SecondFactorWantedError(RefusalError):
    """An administrator asks this person for a second factor."""

    status = 403
    title = "Second factor wanted"
    kind = "second-factor-wanted"

    def __init__(self) -> None:
        super().__init__("A second factor is required of you: set up a generator of codes first.")


class VersionWantedError(RefusalError):
    """A write must say on what it was decided."""

    status = 428
    title = "Version wanted"
    kind = "version-wanted"

    def __init__(self) -> None:
        super().__init__(
            "Send If-Match with the ETag of what you saw, so that nobody's change is lost."
        )


class StaleError(RefusalError):
    """Somebody else changed it meanwhile."""

    status = 412
    title = "Changed meanwhile"
    kind = "changed-meanwhile"

    def __init__(self, *, stands: dict[str, Any]) -> None:  # Any: JSON
        self.stands = stands
        super().__init__("Somebody changed this after you saw it. Look at what stands now.")
