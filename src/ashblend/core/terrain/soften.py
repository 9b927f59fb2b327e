"""Steps of heights that were stored too coarsely, made smooth.

Every height may move by half a step and no more, so that stored again it would be the same number. Within that it is
evened out by ever narrower Gaussians, each followed by clamping (projection onto convex sets; Youla and Webb 1982,
IEEE Trans. Medical Imaging 1(2)). Tried: one wide Gaussian and a clamp; plains wider than it kept their terraces.
"""

import numpy as np

from ashblend.core.arrays import F32

WIDTHS = (32.0, 16.0, 8.0, 4.0, 2.0, 1.0)


def softened(heights: F32, step: float) -> F32:
    """(rows, cols) without terraces. step: metres between two stored numbers."""
    from scipy.ndimage import gaussian_filter

    low, high = heights - np.float32(0.5 * step), heights + np.float32(0.5 * step)
    out = heights
    for width in WIDTHS:
        out = np.clip(gaussian_filter(out, width, mode="nearest"), low, high)
    return out
