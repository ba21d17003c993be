"""Series put apart on disk by what is forecast at once: a file of any size fits in memory."""

import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from types import TracebackType

import numpy as np
from numpy.typing import NDArray

from keelmark.cli.series_file import OddFileError, Part, Tell, parts_of, refusal
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.days import EPOCH

BUCKET_SERIES = 1000
AT_ONCE = 500  # of a bucket: forecasts of more take more memory and no less time
MOST_DAYS = 800  # of a series: what is older moves no way
_ROW = np.dtype([("series", "<i4"), ("day", "<i4"), ("used", "<f8")])
_NEVER = np.iinfo(np.int64).min


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Table:
    """Readings end to end, those of one series after another, each by day.

    ``begins`` (n + 1,) says where the readings of each begin; days count from 1970. Every series
    has its own days: what stands beside it in the file costs it nothing.
    """

    names: list[str]
    begins: Int64s
    day: Int64s
    used_bytes: Float64s
    capacity_bytes: Int64s  # (n,), the last told; −1 where none is known

    def last_day(self, row: int) -> int | None:
        """Return the day of a series' last reading, None where it has none."""
        begin, end = int(self.begins[row]), int(self.begins[row + 1])
        return int(self.day[end - 1]) if end > begin else None

    def alike(self) -> Iterator[Int64s]:
        """Yield the series in groups of like lengths, so that a short one costs its own days."""
        begin, end = self.begins[:-1], self.begins[1:]
        has_any = end > begin
        last = max(len(self.day) - 1, 0)
        days = self.day if len(self.day) else np.zeros(1, dtype=np.int64)
        span = days[np.minimum(np.maximum(end - 1, 0), last)] - days[np.minimum(begin, last)] + 1
        span = np.where(has_any, np.minimum(span, MOST_DAYS), 1)
        doublings = np.ceil(np.log2(span)).astype(np.int64)
        for doubling in np.unique(doublings):
            rows = np.flatnonzero(doublings == doubling)
            yield from np.array_split(rows, -(-len(rows) // AT_ONCE))

    def laid_out(self, rows: Int64s) -> tuple[Float64s, Int64s]:
        """Return some series as a matrix that ends with each one's last reading, NaN where unread.

        With it comes the day of column 0 of each.
        """
        lasts = [self.last_day(int(row)) for row in rows]
        spans = [
            0 if last is None else last - int(self.day[self.begins[row]]) + 1
            for row, last in zip(rows, lasts, strict=True)
        ]
        n_days = min(max([1, *spans]), MOST_DAYS)
        used = np.full((len(rows), n_days), np.nan)
        first_day = np.zeros(len(rows), dtype=np.int64)
        for at, (row, last) in enumerate(zip(rows, lasts, strict=True)):
            if last is None:
                continue
            first_day[at] = last - n_days + 1
            own = slice(int(self.begins[row]), int(self.begins[row + 1]))
            column = self.day[own] - first_day[at]
            is_late = column >= 0
            used[at, column[is_late]] = self.used_bytes[own][is_late]
        return used, first_day


class SeriesStore:
    """The series of a file, a bucket of them at a time, in the order in which they first appear.

    Whole rows wait in files of a folder of their own, which goes when the store is closed.
    """

    def __init__(self, path: Path, *, tell: Tell) -> None:
        """Read a file through; raise CommandError naming file, line and field."""
        self._path = path
        self._folder = tempfile.TemporaryDirectory(prefix="keel-series-")
        try:
            try:
                self._read(are_whole=True, tell=tell)
            except OddFileError:
                self._read(are_whole=False, tell=tell)
            self._sort(tell=tell)
        except OddFileError:
            self._folder.cleanup()
            raise refusal(path, twice=set()) from None
        except BaseException:
            self._folder.cleanup()
            raise

    def __enter__(self) -> "SeriesStore":
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._folder.cleanup()

    def __len__(self) -> int:
        """Return how many series there are."""
        return len(self._names)

    def tables(self) -> Iterator[Table]:
        """Yield the series, some at a time."""
        for bucket in range(self._n_buckets):
            first, last = bucket * BUCKET_SERIES, (bucket + 1) * BUCKET_SERIES
            rows = np.fromfile(self._file(bucket), dtype=_ROW)
            names = self._names[first:last]
            yield Table(
                names=names,
                begins=np.searchsorted(rows["series"], np.arange(len(names) + 1)).astype(np.int64),
                day=rows["day"].astype(np.int64),
                used_bytes=rows["used"].copy(),
                capacity_bytes=self._capacity[first:last],
            )

    @property
    def _n_buckets(self) -> int:
        return -(-len(self._names) // BUCKET_SERIES)

    def _file(self, bucket: int) -> Path:
        return Path(self._folder.name) / f"{bucket}.rows"

    def _read(self, *, are_whole: bool, tell: Tell) -> None:
        self._names: list[str] = []
        self._capacity = np.empty(0, dtype=np.int64)
        told_on = np.empty(0, dtype=np.int64)  # when each capacity was
        code: dict[str, int] = {}
        for left in Path(self._folder.name).iterdir():
            left.unlink()
        for part in parts_of(self._path, are_whole=are_whole, tell=tell):
            series = np.array([code.setdefault(name, len(code)) for name in part.names])[part.at]
            n_new = len(code) - len(told_on)
            self._capacity = np.concatenate([self._capacity, np.full(n_new, -1)])
            told_on = np.concatenate([told_on, np.full(n_new, _NEVER)])
            self._hold(part, series=series, told_on=told_on)
            self._put_away(part, series=series)
        self._names = list(code)

    def _hold(self, part: Part, *, series: Int64s, told_on: Int64s) -> None:
        """Take the last capacity that is told of each; on the same day the later line holds."""
        known = np.flatnonzero(part.has_capacity)
        by_day = known[np.argsort(part.day[known], kind="stable")]
        newest = dict(zip(series[by_day].tolist(), by_day.tolist(), strict=True))
        at, row = (np.array(list(one), dtype=np.int64) for one in (newest.keys(), newest.values()))
        is_newer = part.day[row] >= told_on[at]
        at, row = at[is_newer], row[is_newer]
        self._capacity[at], told_on[at] = part.capacity_bytes[row], part.day[row]

    def _put_away(self, part: Part, *, series: Int64s) -> None:
        read = np.flatnonzero(~np.isnan(part.used_bytes))
        rows = np.empty(len(read), dtype=_ROW)
        rows["series"] = series[read] % BUCKET_SERIES
        rows["day"], rows["used"] = part.day[read], part.used_bytes[read]
        bucket = series[read] // BUCKET_SERIES
        order = np.argsort(bucket, kind="stable")
        found, begins = np.unique(bucket[order], return_index=True)
        for one, own in zip(found.tolist(), np.split(order, begins)[1:], strict=True):
            with self._file(one).open("ab") as file:
                rows[own].tofile(file)

    def _sort(self, *, tell: Tell) -> None:
        """Bring all in order before the first is told of: what is told in two ways is refused."""
        for bucket in range(self._n_buckets):
            file = self._file(bucket)
            file.touch()
            rows = np.fromfile(file, dtype=_ROW)
            rows = rows[np.lexsort((rows["day"], rows["series"]))]
            is_same = (np.diff(rows["series"]) == 0) & (np.diff(rows["day"]) == 0)
            twice = np.flatnonzero(is_same & (np.diff(rows["used"]) != 0))
            if len(twice):
                raise refusal(
                    self._path,
                    twice={
                        (
                            self._names[bucket * BUCKET_SERIES + int(rows["series"][row])],
                            (EPOCH + timedelta(days=int(rows["day"][row]))).isoformat(),
                        )
                        for row in twice
                    },
                )
            is_first = np.ones(len(rows), dtype=np.bool_)
            is_first[1:] = ~is_same
            _only_late(rows[is_first]).tofile(file)
            tell("sorting", bucket + 1, self._n_buckets)


def _only_late(rows: NDArray[np.void]) -> NDArray[np.void]:
    """Leave out what lies too far before each one's last reading."""
    ends = np.searchsorted(rows["series"], rows["series"], side="right")
    last = rows["day"][ends - 1]
    return rows[rows["day"] > last - MOST_DAYS]
