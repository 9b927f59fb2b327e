"""Masks that a mesh can be refined to: pictures that lie on the first UV set."""

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.prepare.refine import Places, WantedMask


def picture_mask(image: F64) -> WantedMask:
    """A picture (rows, columns) in 0..1 over the map, bilinear between its pixels' centres."""
    rows, columns = image.shape

    def wanted(places: Places) -> F64:
        assert places.uv is not None
        x = np.clip(places.uv[:, 0] * columns - 0.5, 0, columns - 1)
        y = np.clip(places.uv[:, 1] * rows - 0.5, 0, rows - 1)
        x0, y0 = np.minimum(x.astype(int), columns - 2), np.minimum(y.astype(int), rows - 2)
        fx, fy = x - x0, y - y0
        top = image[y0, x0] * (1 - fx) + image[y0, x0 + 1] * fx
        below = image[y0 + 1, x0] * (1 - fx) + image[y0 + 1, x0 + 1] * fx
        out: F64 = top * (1 - fy) + below * fy
        return out

    return wanted


def grey_of(image: np.ndarray) -> F64:
    """A picture as stored (rows, columns[, 3]), uint8 or uint16, as its mean lightness in 0..1."""
    grey: F64 = image.astype(np.float64) / np.iinfo(image.dtype).max
    return grey.mean(axis=2) if grey.ndim == 3 else grey
