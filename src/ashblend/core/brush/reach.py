"""Which points a dab reaches, and how far each is from its centre.

Ball: straight distance. Skin: distance along the surface from the hit (sites/march.py). A way along the surface is
never shorter than the straight one, so the skin lies inside the ball: the march runs over the ball's points only, in
arrays as large as those.
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.sites.march import march
from ashblend.core.sites.patch import Graph, Patch
from ashblend.core.sites.protocol import Neighbourhood, Sites


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _seed_ring(
    positions: F32, normals: F32, offsets: I32, fans: I32, distance: F32, normal: F32
) -> tuple[I32, F64]:
    """The point nearest the centre on the side the brush faces, and the corners around it.

    Between neighbours the surface is nearly flat, so their straight distances are the ways
    along it. Points that face away are passed over: on a thin wall the nearest point may well
    lie on the far side.
    """
    best = -1
    best_distance = np.inf
    for i in range(distance.shape[0]):
        if distance[i] < best_distance:
            dot = normals[i, 0] * normal[0] + normals[i, 1] * normal[1] + normals[i, 2] * normal[2]
            if dot > 0:
                best = i
                best_distance = distance[i]
    if best < 0:
        return np.empty(0, np.int32), np.empty(0, np.float64)
    first = offsets[best]
    last = offsets[best + 1]
    seeds = np.empty(2 * (last - first) + 1, np.int32)
    distances = np.empty(seeds.shape[0], np.float64)
    n = 0
    for k in range(first, last):
        for side in range(2):
            if fans[k, side] >= 0:
                seeds[n] = fans[k, side]
                n += 1
    seeds[n] = best
    n += 1
    for k in range(n):
        distances[k] = distance[seeds[k]]
    return seeds[:n], distances[:n]


@numba.njit(cache=True, nogil=True)
def _facing(normals: F32, normal: F32, least: float) -> I32:
    """Rows whose normal is turned no farther from the brush's."""
    out = np.empty(normals.shape[0], np.int32)
    count = 0
    for i in range(normals.shape[0]):
        dot = normals[i, 0] * normal[0] + normals[i, 1] * normal[1] + normals[i, 2] * normal[2]
        if dot >= least:
            out[count] = i
            count += 1
    return out[:count]


class Reach:
    """Who is in reach on a surface, by ball or along the skin; works in memory of its own."""

    def __init__(self, sites: Sites, skin: bool) -> None:
        self._around: Neighbourhood = sites.neighbourhood()
        self._skin = skin

    def around(self, centre: F64, normal: F64, radius: float, facing_limit: float) -> Patch:
        """Points within radius (metres) of centre (3,), with their distances.

        normal: (3,) unit, the brush's. facing_limit: degrees; 180 takes every point.
        """
        n = normal.astype(np.float32)
        patch = self._around.ball(centre.astype(np.float32), radius)
        if self._skin:
            patch = self._along(patch, n, radius)
        if facing_limit < 180:
            rows = _facing(patch.normals, n, float(np.cos(np.radians(facing_limit))))
            if rows.shape[0] < patch.ids.shape[0]:
                patch = patch.only(rows)
        return patch

    def _along(self, ball: Patch, normal: F32, radius: float) -> Patch:
        graph = self._around.graph(ball, rim=False)
        seeds, distances = _seed_ring(
            ball.positions, ball.normals, graph.offsets, graph.fans, ball.distances, normal
        )
        rows, along = march(graph, seeds, distances, radius)
        return ball.only(rows, along)

    def graph(self, patch: Patch) -> Graph:
        """Who is next to whom among points in reach, and who just outside."""
        return self._around.graph(patch, rim=True)
