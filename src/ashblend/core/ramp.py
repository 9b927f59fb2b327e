"""Ramps from 0 to 1 over a range."""

import numpy as np

from ashblend.core.arrays import F64


def ramp(x: F64, a: float, b: float) -> F64:
    """clamp((x − a)/(b − a), 0, 1): falling when b < a, and a clean step at a when both are equal."""
    if a == b:
        return (x >= a).astype(np.float64)
    return np.clip((x - a) / (b - a), 0, 1)
