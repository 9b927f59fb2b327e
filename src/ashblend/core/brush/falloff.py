"""How a dab fades from its centre (t = 0) to its rim (t = 1).

Each profile is a function of t; kernels read it from a table, so that a profile added here
or drawn by hand costs them nothing.
"""

from collections.abc import Callable

import numpy as np

from ashblend.core.arrays import F32, F64
from ashblend.core.brush.document import Brush

TABLE_SIZE = 1025


def smooth(t: F64) -> F64:
    """1 − smoothstep: level at the centre and at the rim."""
    return 1 - t * t * (3 - 2 * t)


def linear(t: F64) -> F64:
    return 1 - t


def dome(t: F64) -> F64:
    """A half circle: full for long, then steep at the rim."""
    return np.sqrt(np.maximum(1 - t * t, 0))


def flat(t: F64) -> F64:
    """Full up to the rim."""
    return np.ones_like(t)


FALLOFFS: dict[str, Callable[[F64], F64]] = {
    "smooth": smooth,
    "linear": linear,
    "dome": dome,
    "flat": flat,
}


def falloff_table(name: str) -> F32:
    """The profile at TABLE_SIZE even steps of t in 0..1, float32, within 0..1."""
    t = np.linspace(0, 1, TABLE_SIZE)
    return FALLOFFS[name](t).astype(np.float32)


def brush_profile(brush: Brush) -> F32:
    """The table of a brush's falloff, drawn by hand or by name."""
    if brush.falloff == "curve" and brush.curve is not None:
        return brush.curve.at(np.linspace(0, 1, TABLE_SIZE)).astype(np.float32)
    return falloff_table(brush.falloff)
