"""The top of a mesh over a place on the plan."""

import numpy as np

from ashblend.core.arrays import F64, U32


def height_over(positions: F64, triangles: U32, x: float, z: float) -> float | None:
    """Metres: the highest place of triangles (t, 3) straight above or below (x, z); None beside them."""
    corners = positions[triangles]
    flat = corners[:, :, [0, 2]] - np.array([x, z])
    a, b, c = flat[:, 0], flat[:, 1], flat[:, 2]

    def twice(p: F64, q: F64) -> F64:
        return np.asarray(p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0])

    shares = np.stack([twice(b, c), twice(c, a), twice(a, b)], axis=1)
    whole = shares.sum(axis=1)
    inside = (whole != 0) & ((shares * np.sign(whole)[:, None]) >= 0).all(axis=1)
    if not inside.any():
        return None
    heights = (shares[inside] * corners[inside, :, 1]).sum(axis=1) / whole[inside]
    return float(heights.max())
