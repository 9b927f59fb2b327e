"""Names for the array types that the core passes around."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

F32: TypeAlias = NDArray[np.float32]
F64: TypeAlias = NDArray[np.float64]
U8: TypeAlias = NDArray[np.uint8]
U16: TypeAlias = NDArray[np.uint16]
U32: TypeAlias = NDArray[np.uint32]
I32: TypeAlias = NDArray[np.int32]
I64: TypeAlias = NDArray[np.int64]
Mask: TypeAlias = NDArray[np.bool_]
