"""Weights 0..1 to fixed point and back, as normalised integers in glTF 2.0 (section 3.6.2.2)."""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32

WeightBits = Literal[4, 8, 16]
# What uint16 stands for one.
FULL = 65535


def quantise(weights: NDArray[np.floating], bits: WeightBits) -> NDArray[np.unsignedinteger]:
    """Nearest of 2^bits evenly spread steps; values outside 0..1 are clamped. Any shape.

    uint8 for 4 and 8 bits (four-bit steps are 0..15), uint16 for 16. Raises ValueError for other bits.
    """
    if bits not in (4, 8, 16):
        raise ValueError(f"weights are kept at 4, 8 or 16 bits, not {bits}")
    steps = np.rint(np.clip(weights, 0, 1) * np.float64((1 << bits) - 1))
    return steps.astype(np.uint16 if bits == 16 else np.uint8)


def dequantise(steps: NDArray[np.unsignedinteger], bits: WeightBits) -> F32:
    """Steps of so many bits to weights in 0..1, float32."""
    return (steps / np.float64((1 << bits) - 1)).astype(np.float32)
