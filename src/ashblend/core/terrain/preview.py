"""A small shaded picture of heights, seen from above.

Source: the shading of Horn (1981), Proc. IEEE 69(1): light from the north-west, 45° up; heights tint it a little.
"""

import numpy as np

from ashblend.core.arrays import F32, U8

LIGHT = np.array([-0.5, 0.70710678, -0.5])
EDGE = 320


def preview(heights: F32, spacing: float) -> U8:
    """(rows, cols, 3) of at most EDGE each way, from finite heights (rows, cols) in metres."""
    from ashblend.core.terrain.lie import lie_of

    scale = min(1.0, EDGE / max(heights.shape))
    rows, cols = (max(2, round(count * scale)) for count in heights.shape)
    at = np.stack(
        np.meshgrid(np.linspace(0, heights.shape[1] - 1, cols), np.linspace(0, heights.shape[0] - 1, rows)),
        axis=-1,
    )
    tall, normals = lie_of(heights, spacing, at.reshape(-1, 2))
    lit = np.clip(normals @ LIGHT, 0, 1)
    low, high = float(tall.min()), float(tall.max())
    share = (tall - low) / max(high - low, 1e-9)
    tint = np.stack([0.80 + 0.20 * share, 0.82 + 0.14 * share, 0.78 + 0.12 * share], axis=1)
    shown = (0.18 + 0.82 * lit)[:, None] * tint
    return (np.clip(shown, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8).reshape(rows, cols, 3)
