"""Steps of heights that were stored too coarsely, made smooth.

Every height may move by half a step and no more, so that stored again it would be the same number. Within that it is
evened out by ever narrower Gaussians, each followed by clamping (projection onto convex sets; Youla and Webb 1982,
IEEE Trans. Medical Imaging 1(2)). Tried: one wide Gaussian and a clamp; plains wider than it kept their terraces.
"""

import numpy as np

from ashblend.core.arrays import F32

WIDTHS = (32.0, 16.0, 8.0, 4.0, 2.0, 1.0)
EDGE = 64


def softened(heights: F32, step: float) -> F32:
    """(rows, cols) without terraces. step: metres between two stored numbers."""
    from scipy.ndimage import gaussian_filter

    # Carried on beyond its edges by turning it over, so that slopes there go on.
    beyond = [(min(EDGE, count - 1),) * 2 for count in heights.shape]
    wide = np.pad(heights, beyond, mode="reflect", reflect_type="odd")
    low, high = wide - np.float32(0.5 * step), wide + np.float32(0.5 * step)
    out = wide
    for width in WIDTHS:
        out = np.clip(gaussian_filter(out, width, mode="nearest"), low, high)
    (top, _), (left, _) = beyond
    return np.ascontiguousarray(out[top : top + heights.shape[0], left : left + heights.shape[1]])
