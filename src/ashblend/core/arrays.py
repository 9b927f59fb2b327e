"""Names for the array types that the core passes around, and arrays that take no memory until written."""

import mmap
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

F32: TypeAlias = NDArray[np.float32]
F64: TypeAlias = NDArray[np.float64]
U8: TypeAlias = NDArray[np.uint8]
U16: TypeAlias = NDArray[np.uint16]
U32: TypeAlias = NDArray[np.uint32]
I8: TypeAlias = NDArray[np.int8]
I32: TypeAlias = NDArray[np.int32]
I64: TypeAlias = NDArray[np.int64]
Mask: TypeAlias = NDArray[np.bool_]
Ids: TypeAlias = NDArray[np.integer[Any]]


def run_of(ids: Ids) -> Ids | slice:
    """Ascending ids as a slice where none is left out: it is copied many times faster than each is looked up."""
    if ids.size and int(ids[-1]) - int(ids[0]) == ids.size - 1:
        return slice(int(ids[0]), int(ids[-1]) + 1)
    return ids


def zero_pages(count: int, dtype: Any) -> NDArray[Any]:
    """Zeros (count,) that the system backs with memory page by page, where they are written.

    What a stroke or a sparse mask never touches costs nothing. Tried: np.zeros, which is the same
    until the C library has once given such a block back; from then on it clears whole arrays.
    """
    kind = np.dtype(dtype)
    if count == 0:
        return np.zeros(0, kind)
    return np.frombuffer(mmap.mmap(-1, count * kind.itemsize), kind, count)
