"""The 288 steps of a thing's day to and from the bytes in which they are kept.

Two bytes that say which parts were read, then those parts as single-precision floats of twelve
significant bits (a part in 8,000, far finer than any counter), their bytes sorted by place and
compressed by zstd.
"""

from collections.abc import Sequence
from typing import Final

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from keelmark.core.performance import PARTS, STEPS_A_DAY

Steps = NDArray[np.float32]
ALL_PARTS: Final = tuple(range(len(PARTS)))
_CODEC: Final = pa.Codec("zstd", compression_level=3)
_DROPPED_BITS: Final = 12
_HALF: Final = np.uint32(1 << (_DROPPED_BITS - 1))
_KEPT: Final = np.uint32(0xFFFFFFFF << _DROPPED_BITS & 0xFFFFFFFF)
_FLOAT_BYTES: Final = 4
_HEAD_BYTES: Final = 2


def encoded(steps: Steps) -> bytes:
    """Return a day's steps (n_parts, 288), NaN unread, as bytes."""
    is_told = ~np.isnan(steps).all(axis=1)
    head = int(np.dot(is_told, 1 << np.arange(len(PARTS)))).to_bytes(_HEAD_BYTES, "big")
    rounded = (steps[is_told].view(np.uint32) + _HALF) & _KEPT
    by_place = np.ascontiguousarray(rounded.view(np.uint8).reshape(-1, _FLOAT_BYTES).T)
    packed: bytes = _CODEC.compress(by_place.tobytes(), asbytes=True)
    return head + packed


def decoded(content: bytes | memoryview, *, parts: Sequence[int] = ALL_PARTS) -> Steps:
    """Return the steps (n_parts, 288) that were encoded, of some parts, NaN where unread."""
    head = int.from_bytes(content[:_HEAD_BYTES], "big")
    told = [part for part in range(len(PARTS)) if head >> part & 1]
    steps = np.full((len(parts), STEPS_A_DAY), np.nan, dtype=np.float32)
    n_bytes = len(told) * STEPS_A_DAY * _FLOAT_BYTES
    if n_bytes:
        plain = _CODEC.decompress(content[_HEAD_BYTES:], n_bytes, asbytes=True)
        by_place = np.frombuffer(plain, dtype=np.uint8).reshape(_FLOAT_BYTES, -1, STEPS_A_DAY)
        at = [told.index(part) for part in parts if part in told]
        wanted = np.ascontiguousarray(by_place[:, at].transpose(1, 2, 0)).view(np.float32)
        steps[[part in told for part in parts]] = wanted.reshape(-1, STEPS_A_DAY)
    return steps
