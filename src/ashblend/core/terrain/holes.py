"""Holes in heights filled from what lies around them.

Push-pull (Gortler, Grzeszczuk, Szeliski and Cohen 1996, "The Lumigraph", section 3.4): means of what is known are
taken on ever coarser grids, and what is unknown is filled from the next coarser one, bilinear. A hole becomes a smooth
sheet between its rims; what is known stays as it is.
"""

import numpy as np

from ashblend.core.arrays import F32, F64, Mask

# Metres beyond which nothing is a height: some programs mark holes by such numbers.
FARTHEST = 1e6


def known_heights(heights: F32) -> Mask:
    """(rows, cols) where there is a height."""
    # What is not a number compares as false.
    return np.asarray(np.abs(heights) <= FARTHEST)


def hole_count(heights: F32) -> int:
    """How many heights are no numbers, or far too large for heights."""
    return int(heights.size - known_heights(heights).sum())


def _halved(values: F64) -> F64:
    rows, cols = values.shape
    padded = np.pad(values, ((0, rows % 2), (0, cols % 2)))
    return padded[::2, ::2] + padded[1::2, ::2] + padded[::2, 1::2] + padded[1::2, 1::2]


def _doubled(values: F64, rows: int, cols: int) -> F64:
    """Bilinear between the middles of the coarser cells."""

    def axis(count: int, coarse: int) -> tuple[np.ndarray, np.ndarray]:
        at = np.clip((np.arange(count) - 0.5) / 2, 0, coarse - 1)
        low = np.minimum(at.astype(np.int64), max(coarse - 2, 0))
        return low, at - low

    r, g = axis(rows, values.shape[0])
    c, f = axis(cols, values.shape[1])
    r1, c1 = np.minimum(r + 1, values.shape[0] - 1), np.minimum(c + 1, values.shape[1] - 1)
    across = values[:, c] * (1 - f) + values[:, c1] * f
    return across[r] * (1 - g)[:, None] + across[r1] * g[:, None]


def _filled(sums: F64, weights: F64) -> F64:
    known = weights > 0
    mean = np.divide(sums, weights, out=np.zeros_like(sums), where=known)
    if known.all() or sums.size == 1:
        return mean
    coarse = _filled(_halved(np.where(known, mean, 0)), _halved(known.astype(np.float64)))
    return np.where(known, mean, _doubled(coarse, *sums.shape))


def mended(heights: F32) -> F32:
    """(rows, cols) with every hole filled. Raises ValueError where nothing is known."""
    known = known_heights(heights)
    if not known.any():
        raise ValueError("there is no height at all")
    if known.all():
        return heights
    values = np.where(known, heights, np.float32(0)).astype(np.float64)
    return np.where(known, heights, _filled(values, known.astype(np.float64)).astype(np.float32))
