"""What the core raises."""


class CoreError(Exception):
    """Root of everything the core raises."""


class ShapeError(CoreError):
    """An array argument has the wrong shape."""

    def __init__(self, *, argument: str, wanted: str, found: tuple[int, ...]) -> None:
        self.argument, self.wanted, self.found = argument, wanted, found
        super().__init__(f"{argument}: wanted shape {wanted}, found {found}.")


class RangeError(CoreError):
    """A number lies outside what makes sense for its argument."""

    def __init__(self, *, argument: str, found: object, wanted: str) -> None:
        self.argument, self.found, self.wanted = argument, found, wanted
        super().__init__(f"{argument}: found {found}, wanted {wanted}.")


class QuantityError(CoreError):
    """A text is not an amount of bytes."""

    def __init__(self, *, text: str, why: str) -> None:
        self.text, self.why = text, why
        super().__init__(f"“{text}” is not an amount of bytes: {why}.")


class SiftFault(CoreError):  # noqa: N818  # a fault of what was typed, with its place
    """A sift cannot be read, or means nothing; ``span`` is where in its text."""

    def __init__(self, *, span: tuple[int, int], why: str, would_be: tuple[str, ...] = ()) -> None:
        self.span, self.why, self.would_be = span, why, would_be
        hint = f"; try {', '.join(would_be)}" if would_be else ""
        super().__init__(f"at character {span[0] + 1}: {why}{hint}.")
