"""Area vectors of triangles, for kernels."""

import numba

from ashblend.core.arrays import F32


@numba.njit(cache=True, inline="always")
def area_vector(positions: F32, a: int, b: int, c: int) -> tuple[float, float, float]:
    """Normal of triangle a b c (counter-clockwise), twice its area long."""
    ux = positions[b, 0] - positions[a, 0]
    uy = positions[b, 1] - positions[a, 1]
    uz = positions[b, 2] - positions[a, 2]
    vx = positions[c, 0] - positions[a, 0]
    vy = positions[c, 1] - positions[a, 1]
    vz = positions[c, 2] - positions[a, 2]
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
