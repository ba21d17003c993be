"""What feeds refuse and what goes wrong at their far ends."""

from collections.abc import Mapping, Sequence
from typing import Any

from keelmark.access.errors import FieldFault, RefusalError


class FeedsError(RefusalError):
    """Root of what feeds refuse."""


class CollectError(Exception):
    """Root of what ends a collection; the message is what a planner reads."""


class UnreachableError(CollectError):
    """Nobody answers at the address."""

    def __init__(self, *, url: str, why: str) -> None:
        self.url, self.why = url, why
        super().__init__(f"No answer from {url}: {why}.")


class SignInError(CollectError):
    """The array refuses name or password."""

    def __init__(self, *, url: str, user: str) -> None:
        self.url, self.user = url, user
        super().__init__(f"{url} refuses the sign-in of “{user}”: check name and password.")


class BusyError(CollectError):
    """The array keeps answering that it is busy or broken."""

    def __init__(self, *, url: str, status: int, n_tries: int) -> None:
        self.url, self.status, self.n_tries = url, status, n_tries
        super().__init__(f"{url} answered {status} at each of {n_tries} tries.")


class RunLostError(CollectError):
    """A run was given to another worker, since this one had been silent too long."""

    def __init__(self, *, source: str) -> None:
        self.source = source
        super().__init__(f"{source} is in the hands of another worker by now.")


class AnswerError(CollectError):
    """The array's answer cannot be used."""

    def __init__(self, *, url: str, why: str) -> None:
        self.url, self.why = url, why
        super().__init__(f"The answer of {url} cannot be used: {why}.")


class MissingError(AnswerError):
    """There is nothing at an address of the array."""


class RefusedError(CollectError):
    """The array will not be changed so."""

    def __init__(self, *, url: str, status: int, why: str) -> None:
        self.url, self.status, self.why = url, status, why
        super().__init__(f"{url} refuses it with status {status}{why}.")


class NotAsSeenError(CollectError):
    """Something is not as it was seen when a change of it was asked for."""

    def __init__(self, *, was: Mapping[str, Any], found: Mapping[str, Any]) -> None:  # Any: JSON
        self.was, self.found = dict(was), dict(found)
        before, after = (" / ".join(map(_in_words, told.values())) for told in (was, found))
        super().__init__(
            f"It is set to {after} by now, not to {before} as when this was asked: "
            "somebody else set it, and nothing was sent."
        )


def _in_words(told: Any) -> str:  # Any: JSON
    if isinstance(told, list):
        return f"{len(told):,} ports"
    return f"{told:,}" if isinstance(told, int) else str(told)


class NotSettableError(CollectError):
    """Something cannot be set at all."""

    def __init__(self, *, why: str) -> None:
        self.why = why
        super().__init__(f"It cannot be set: {why}.")


class NoWriterError(CollectError):
    """Nobody knows how to set this."""

    def __init__(self, *, what: str) -> None:
        self.what = what
        super().__init__(f"{what} cannot be set from here.")


class ChangesError(FeedsError):
    """Changes that cannot be asked for, each told with its place in the list."""

    title = "Changes refused"
    kind = "changes"

    def __init__(self, faults: Sequence[tuple[int, str]]) -> None:
        told = tuple(
            FieldFault(pointer=f"#/changes/{at}", code="refused", detail=why) for at, why in faults
        )
        shown = "; ".join(why for _, why in faults[:5])
        more = f"; and {len(faults) - 5} more" if len(faults) > 5 else ""  # noqa: PLR2004
        super().__init__(f"{shown}{more}", faults=told)


class ChangeStateError(FeedsError):
    """What was asked of changes goes with none of them as they stand."""

    status = 409
    title = "Not as they stand"
    kind = "change-state"

    def __init__(self, *, why: str) -> None:
        self.why = why
        super().__init__(why)


class EstateFileError(FeedsError):
    """An estate file is refused as a whole."""

    title = "Estate file refused"
    kind = "estate-file"

    def __init__(self, *, file: str, why: str) -> None:
        self.file, self.why = file, why
        super().__init__(f"{file}: {why}.")


class FeedPausedError(FeedsError):
    """Nobody collects from a paused feed."""

    status = 409
    title = "Feed paused"
    kind = "feed-paused"

    def __init__(self, *, name: str) -> None:
        self.name = name
        super().__init__(f"{name} is paused; resume it to collect.")


class AddressError(CollectError):
    """A feed may not be pointed there."""

    def __init__(self, *, url: str, why: str) -> None:
        self.url, self.why = url, why
        super().__init__(f"Feeds may not read from {url}: {why}.")


class CertificateError(CollectError):
    """The own authority's certificate cannot be read."""

    def __init__(self, *, why: str) -> None:
        self.why = why
        super().__init__(f"The authority's certificate cannot be read: {why}.")


class MissingPackageError(CollectError):
    """What a protocol needs is not installed."""

    def __init__(self, *, protocol: str, package: str) -> None:
        self.protocol, self.package = protocol, package
        super().__init__(f"{protocol} needs {package}, which is not installed here.")


class OptionsError(CollectError):
    """An option of a feed is missing or wrong."""

    def __init__(self, *, option: str, why: str) -> None:
        self.option, self.why = option, why
        super().__init__(f"The feed's option {option} {why}.")


class FeedFormError(FeedsError):
    """A feed cannot be as it was asked for."""

    title = "Feed refused"
    kind = "feed-form"

    def __init__(self, *, field: str, why: str) -> None:
        self.field, self.why = field, why
        super().__init__(
            f"{field}: {why}",
            faults=(FieldFault(pointer=f"#/{field}", code="refused", detail=why),),
        )


class KeyUsedError(FeedsError):
    """The same key came with something else."""

    status = 409
    title = "Idempotency key used before"
    kind = "key-used"

    def __init__(self, *, key: str) -> None:
        self.key = key
        super().__init__(f"{key} was sent before with another body; use a new key for it.")


class PushConflictError(KeyUsedError):
    """The same key came with another push."""

    kind = "push-conflict"


class NoCollectorError(CollectError):
    """Documents of this protocol are brought to us; nobody goes for them."""

    def __init__(self, *, protocol: str) -> None:
        self.protocol = protocol
        super().__init__(f"A {protocol} feed waits for what is sent to it.")


class PushBodyError(CollectError):
    """A pushed body holds lines that cannot be used."""

    def __init__(self, *, problems: list[str]) -> None:
        self.problems = problems
        shown = "; ".join(problems[:5])
        more = f" and {len(problems) - 5} more" if len(problems) > 5 else ""  # noqa: PLR2004
        super().__init__(f"{len(problems)} bad lines, nothing written: {shown}{more}")


class TableError(FeedsError):
    """A table is refused as a whole."""

    title = "Table refused"
    kind = "table"

    def __init__(self, *, file: str, why: str) -> None:
        self.file, self.why = file, why
        super().__init__(f"{file}: {why}.")
