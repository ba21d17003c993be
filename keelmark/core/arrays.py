"""Array types that the whole core shares."""

import numpy as np
from numpy.typing import NDArray

Int64s = NDArray[np.int64]
Float64s = NDArray[np.float64]
Bools = NDArray[np.bool_]
