"""What readings refuse."""

from keelmark.access.errors import RefusalError


class ReadingsError(RefusalError):
    """Root of what readings refuse."""


class NoPartitionError(ReadingsError):
    """Readings of a day for which no room is made."""

    title = "Day outside the window"
    kind = "no-partition"

    def __init__(self) -> None:
        super().__init__(
            "Readings lie outside the days that are taken, or no worker has made room for them yet."
        )


class RaggedReadingsError(ReadingsError):
    """Columns of a readings document differ in length."""

    title = "Ragged readings"
    kind = "ragged-readings"

    def __init__(self, *, uid: str, column: str, n_wanted: int, n_found: int) -> None:
        self.uid, self.column = uid, column
        super().__init__(
            f"Readings of {uid}: {column} has {n_found} days, used_bytes has {n_wanted}."
        )
