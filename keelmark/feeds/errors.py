"""What feeds refuse and what goes wrong at their far ends."""

from keelmark.access.errors import RefusalError


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


class AnswerError(CollectError):
    """The array's answer cannot be used."""

    def __init__(self, *, url: str, why: str) -> None:
        self.url, self.why = url, why
        super().__init__(f"The answer of {url} cannot be used: {why}.")


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
