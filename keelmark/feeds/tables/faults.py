"""What is wrong with cells: told by row, and gathered where many rows are wrong alike."""

from collections.abc import Iterable
from dataclasses import dataclass, field

MAX_SUBJECTS = 1000
N_ROWS_TOLD = 5
N_NAMES_TOLD = 3
GAP = "…"


class CellError(ValueError):
    """A cell that cannot be used; `pattern` says it of all cells that are wrong alike."""

    def __init__(self, message: str, *, pattern: str, subject: str, can_make: bool = False) -> None:
        """`subject` is what the pattern leaves out; `can_make`: naming the kind would make it."""
        self.pattern, self.subject, self.can_make = pattern, subject, can_make
        super().__init__(message)


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """One bad cell."""

    row: int
    column: str
    message: str
    pattern: str
    subject: str = ""
    can_make: bool = False
    n_rows: int = 1  # more: of so many further rows this is the first

    def __str__(self) -> str:
        """Return it as a planner reads it."""
        more = f" and {self.n_rows - 1:,} more".replace(",", "\u202f") if self.n_rows > 1 else ""
        at = f"row {self.row}{more}" + (f", {self.column}" if self.column else "")
        return f"{at}: {self.message}"


def fault_of(exc: ValueError, *, row: int, column: str, text: str, n_rows: int = 1) -> Fault:
    """Return the fault of a cell that could not be read."""
    message = str(exc)
    pattern = message.replace(text, GAP) if text else message
    subject, can_make = text, False
    if isinstance(exc, CellError):
        pattern, subject, can_make = exc.pattern, exc.subject, exc.can_make
    return Fault(
        row=row, column=column, message=message, pattern=pattern, subject=subject,
        can_make=can_make, n_rows=n_rows,
    )  # fmt: skip


@dataclass(slots=True, kw_only=True)
class Alike:
    """Cells of a column that are wrong in the same way."""

    column: str
    pattern: str
    can_make: bool = False
    n_rows: int = 0
    rows: list[int] = field(default_factory=list)  # the first ones
    subjects: dict[str, None] = field(default_factory=dict)  # the first ones, each once

    @property
    def says(self) -> str:
        """One line for all of them."""
        names = list(self.subjects)
        shown = ", ".join(names[:N_NAMES_TOLD])
        many = f"{len(names)}{'+' if len(names) == MAX_SUBJECTS else ''}"
        told = self.pattern.replace(GAP, shown if len(names) <= N_NAMES_TOLD else f"{shown} {GAP}")
        more = f" ({many} names)" if len(names) > N_NAMES_TOLD else ""
        return f"{self.column}: {told}{more}" if self.column else f"{told}{more}"


class Gathered:
    """Faults of a whole table, those alike together, the most frequent first."""

    def __init__(self) -> None:
        """Nothing is wrong yet."""
        self.n_faults = 0
        self._by_key: dict[tuple[str, str], Alike] = {}

    def add(self, faults: Iterable[Fault]) -> None:
        """Take more faults."""
        for fault in faults:
            self.n_faults += fault.n_rows
            key = fault.column, fault.pattern
            alike = self._by_key.setdefault(
                key, Alike(column=fault.column, pattern=fault.pattern, can_make=fault.can_make)
            )
            alike.n_rows += fault.n_rows
            if len(alike.rows) < N_ROWS_TOLD:
                alike.rows.append(fault.row)
            if fault.subject and len(alike.subjects) < MAX_SUBJECTS:
                alike.subjects[fault.subject] = None

    def alike(self) -> list[Alike]:
        """Return what is wrong, the most frequent first."""
        return sorted(self._by_key.values(), key=lambda one: (-one.n_rows, one.column))
