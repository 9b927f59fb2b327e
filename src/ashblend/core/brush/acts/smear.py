"""Drag what is there along with the brush.

Semi-Lagrangian: each point takes the value from where it would have been before the brush
moved. That place is found by walking from neighbour to neighbour, so paint does not jump
through walls or over hard borders.
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32
from ashblend.core.brush.acts.protocol import Act, StrokeView, Toward
from ashblend.core.brush.document import Brush
from ashblend.core.brush.resample import Dab

LONGEST_WALK = 64


@numba.njit(cache=True, nogil=True)
def _square(positions: F32, p: np.uint32, x: float, y: float, z: float) -> float:
    return (positions[p, 0] - x) ** 2 + (positions[p, 1] - y) ** 2 + (positions[p, 2] - z) ** 2


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _trace(positions: F32, offsets: U32, fans: U32, step: F64, corners: I32, shares: F64) -> None:
    """For each point the triangle (k, 3) that lies one step back, and the shares of its corners.

    The rim, which knows no neighbours of its own, ends a walk. Where the point before is a neighbour, the walk
    goes on from where that one's ended: to there the two went side by side.
    """
    points = np.uint32(offsets.shape[0] - 1)
    one = np.uint32(1)
    last = np.uint32(0)
    for k in range(points):
        p = np.uint32(k)
        x = positions[p, 0] - step[0]
        y = positions[p, 1] - step[1]
        z = positions[p, 2] - step[2]
        here = p
        best = _square(positions, p, x, y, z)
        if k > 0:
            for j in range(offsets[p], offsets[p + one]):
                if fans[j, 0] == p - one or fans[j, 1] == p - one:
                    ahead = _square(positions, last, x, y, z)
                    if ahead < best:
                        here, best = last, ahead
                    break
        for _ in range(LONGEST_WALK):
            nearer = here
            if here >= points:
                break
            for j in range(offsets[here], offsets[here + one]):
                for side in range(2):
                    q = fans[j, side]
                    d = _square(positions, q, x, y, z)
                    if d < best:
                        best = d
                        nearer = q
            if nearer == here:
                break
            here = nearer
        last = here
        corners[k, 0] = corners[k, 1] = corners[k, 2] = here
        shares[k, 0] = 1.0
        shares[k, 1] = shares[k, 2] = 0.0
        least = -0.05
        if here >= points:
            continue
        for j in range(offsets[here], offsets[here + one]):
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


def look_behind(brush: Brush) -> float:
    """A step past the rim, so that what is dragged in from there is known."""
    return 1.0 + 1.5 * brush.spacing


def _toward(_: Brush, view: StrokeView, dab: Dab, __: float) -> Toward:
    graph = view.graph
    corners = np.empty((view.patch.ids.shape[0], 3), np.int32)
    shares = np.empty((view.patch.ids.shape[0], 3))
    _trace(
        graph.positions, graph.offsets.view(np.uint32), graph.fans.view(np.uint32), dab.step, corners, shares
    )
    values = view.values_with_rim(at_start=False)[corners]
    return Toward(0.0, np.einsum("ij,ij->i", values, shares).astype(np.float32))


SMEAR = Act("Smear", "smear", _toward, look_behind, live=True)
