"""Weights 0..1 to fixed point and back, as normalised integers in glTF 2.0 (section 3.6.2.2)."""

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32


def quantise(weights: NDArray[np.floating], bits: int) -> NDArray[np.unsignedinteger]:
    """Nearest step of 8 or 16 bits; values outside 0..1 are clamped. Any shape."""
    full, dtype = (255, np.uint8) if bits == 8 else (65535, np.uint16)
    return np.rint(np.clip(weights, 0, 1) * np.float64(full)).astype(dtype)


def dequantise(steps: NDArray[np.unsignedinteger]) -> F32:
    """uint8 or uint16 steps to weights in 0..1, float32."""
    return (steps / np.float64(np.iinfo(steps.dtype).max)).astype(np.float32)
