"""What a sent table may hold, told before the work and checked before it."""

import time
from dataclasses import dataclass, field

from keelmark.feeds.errors import TableError

MAX_COLUMNS = 400
MAX_CELLS = 200_000_000
MAX_HEADER_BYTES = 256 << 10
MAX_CELL_CHARS = 32_767
MAX_UNPACKED_BYTES = 2 << 30  # of a workbook or a Parquet file
MAX_SHARED_TEXT_BYTES = 128 << 20  # of a workbook's texts, which are held in memory
MAX_PARTS = 2000  # files inside a workbook
LOOK_SECONDS = 20.0  # to look into one
READ_SECONDS = 900.0  # to read one through


@dataclass(slots=True, kw_only=True)
class Meter:
    """How much of a table was read; raises TableError at a limit."""

    file: str
    seconds: float = READ_SECONDS
    n_cells: int = 0
    until: float = field(init=False)

    def __post_init__(self) -> None:
        """Start the clock."""
        self.until = time.monotonic() + self.seconds

    def take(self, *, n_rows: int, n_columns: int) -> None:
        """Count a batch that was read."""
        self.n_cells += n_rows * n_columns
        if self.n_cells > MAX_CELLS:
            raise TableError(file=self.file, why=f"it has over {MAX_CELLS:,} cells")
        if time.monotonic() > self.until:
            raise TableError(file=self.file, why=f"reading it takes over {self.seconds:g} s")


def check_columns(n_columns: int, *, file: str) -> None:
    """Raise TableError where a table is too wide."""
    if n_columns > MAX_COLUMNS:
        why = f"it has {n_columns:,} columns; at most {MAX_COLUMNS} are read"
        raise TableError(file=file, why=why)
