"""Types of arrays, by what their entries are. Shapes stand in docstrings: one letter a length, as (V, 3) for a row a vertex."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

#: Of any type: where several serve, as positions in 32 or 64 bits.
Array = NDArray[Any]
F64 = NDArray[np.float64]
F32 = NDArray[np.float32]
I64 = NDArray[np.int64]
I32 = NDArray[np.int32]
U8 = NDArray[np.uint8]
Bool = NDArray[np.bool_]
