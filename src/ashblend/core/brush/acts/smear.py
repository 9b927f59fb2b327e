"""Drag what is there along with the brush.

Semi-Lagrangian: each point takes the value from where it would have been before the brush
moved. That place is found by walking from neighbour to neighbour, so paint does not jump
through walls or over hard borders.
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.brush.acts.protocol import Act, StrokeView, Toward
from ashblend.core.brush.document import Brush
from ashblend.core.brush.resample import Dab

LONGEST_WALK = 64


@numba.njit(cache=True, inline="always")
def _square(positions: F32, p: int, x: float, y: float, z: float) -> float:
    return (positions[p, 0] - x) ** 2 + (positions[p, 1] - y) ** 2 + (positions[p, 2] - z) ** 2


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _trace(
    positions: F32, offsets: I32, fans: I32, points: I32, step: F64, corners: I32, shares: F64
) -> None:
    """For each point the triangle (k, 3) that lies one step back, and the shares of its corners."""
    for k in range(points.shape[0]):
        p = points[k]
        x = positions[p, 0] - step[0]
        y = positions[p, 1] - step[1]
        z = positions[p, 2] - step[2]
        here = p
        best = _square(positions, p, x, y, z)
        for _ in range(LONGEST_WALK):
            nearer = here
            for j in range(offsets[here], offsets[here + 1]):
                for side in range(2):
                    q = fans[j, side]
                    d = _square(positions, q, x, y, z)
                    if d < best:
                        best = d
                        nearer = q
            if nearer == here:
                break
            here = nearer
        corners[k, 0] = corners[k, 1] = corners[k, 2] = here
        shares[k, 0] = 1.0
        shares[k, 1] = shares[k, 2] = 0.0
        least = -0.05
        for j in range(offsets[here], offsets[here + 1]):
            a, b = fans[j, 0], fans[j, 1]
            ux = float(positions[a, 0]) - positions[here, 0]
            uy = float(positions[a, 1]) - positions[here, 1]
            uz = float(positions[a, 2]) - positions[here, 2]
            vx = float(positions[b, 0]) - positions[here, 0]
            vy = float(positions[b, 1]) - positions[here, 1]
            vz = float(positions[b, 2]) - positions[here, 2]
            wx, wy, wz = x - positions[here, 0], y - positions[here, 1], z - positions[here, 2]
            uu = ux * ux + uy * uy + uz * uz
            uv = ux * vx + uy * vy + uz * vz
            vv = vx * vx + vy * vy + vz * vz
            det = uu * vv - uv * uv
            if det <= 0:
                continue
            uw = ux * wx + uy * wy + uz * wz
            vw = vx * wx + vy * wy + vz * wz
            s = (vv * uw - uv * vw) / det
            t = (uu * vw - uv * uw) / det
            inside = min(s, t, 1 - s - t)
            if inside > least:
                least = inside
                s, t = max(0.0, s), max(0.0, t)
                total = max(1.0, s + t)
                corners[k, 1], corners[k, 2] = a, b
                shares[k, 1], shares[k, 2] = s / total, t / total
                shares[k, 0] = 1.0 - shares[k, 1] - shares[k, 2]


def _toward(_: Brush, view: StrokeView, points: I32, dab: Dab, __: float) -> Toward:
    corners = np.empty((points.shape[0], 3), np.int32)
    shares = np.empty((points.shape[0], 3))
    offsets, fans = view.sites.fans
    _trace(view.sites.point_positions, offsets, fans, points, dab.step, corners, shares)
    values = view.current_values(corners.reshape(-1)).reshape(-1, 3)
    return Toward(0.0, np.einsum("ij,ij->i", values, shares).astype(np.float32))


SMEAR = Act("Smear", "smear", _toward, live=True)
