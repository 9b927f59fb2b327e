"""The closest place on a triangle mesh, of those that face the right way.

A bounding volume tree over triangles in Morton order, as a complete binary tree over leaves
of a few triangles. Closest point on a triangle: Ericson (2005), Real-Time Collision Detection, 5.1.5.
Queries are asked in Morton order, too, each beginning with what the one before it found: most of the
tree is then too far away to be looked at.
Tried: the closest vertex by KD-tree, wrong by up to an edge; a library's query takes as long
and cannot be told to pass over triangles that face away.
"""

from dataclasses import dataclass
from typing import NamedTuple

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32
from ashblend.core.progress import Progress, silent
from ashblend.core.runner import threaded
from ashblend.core.sites.boxes import box_square, boxes_over, morton_order
from ashblend.core.sites.triangle import area_vector

LEAF = 4


@dataclass(frozen=True)
class Hits:
    """faces: (n,) nearest triangle, −1 for none. shares: (n, 3) barycentric. distances: (n,) metres."""

    faces: I32
    shares: F64
    distances: F64


@numba.njit(cache=True, nogil=True)
def unit_normals(positions: F32, triangles: I32) -> F32:
    out = np.zeros((triangles.shape[0], 3), np.float32)
    for t in range(triangles.shape[0]):
        x, y, z = area_vector(positions, triangles[t, 0], triangles[t, 1], triangles[t, 2])
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            out[t] = (x / length, y / length, z / length)
    return out


@numba.njit(cache=True, inline="always")
def _dot(ax: float, ay: float, az: float, bx: float, by: float, bz: float) -> float:
    return ax * bx + ay * by + az * bz


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _closest_shares(corners: F32, k: int, x: float, y: float, z: float) -> tuple[float, float, float]:
    """Barycentric shares of the place of triangle k (its corners in a row of nine) closest to x, y, z.

    All in scalars: with small arrays instead, a search took fifty times as long.
    """
    ax, ay, az = float(corners[k, 0]), float(corners[k, 1]), float(corners[k, 2])
    bx, by, bz = float(corners[k, 3]), float(corners[k, 4]), float(corners[k, 5])
    cx, cy, cz = float(corners[k, 6]), float(corners[k, 7]), float(corners[k, 8])
    abx, aby, abz = bx - ax, by - ay, bz - az
    acx, acy, acz = cx - ax, cy - ay, cz - az
    d1 = _dot(abx, aby, abz, x - ax, y - ay, z - az)
    d2 = _dot(acx, acy, acz, x - ax, y - ay, z - az)
    if d1 <= 0 and d2 <= 0:
        return 1.0, 0.0, 0.0
    d3 = _dot(abx, aby, abz, x - bx, y - by, z - bz)
    d4 = _dot(acx, acy, acz, x - bx, y - by, z - bz)
    if d3 >= 0 and d4 <= d3:
        return 0.0, 1.0, 0.0
    vc = d1 * d4 - d3 * d2
    if vc <= 0 and d1 >= 0 and d3 <= 0:
        t = d1 / (d1 - d3)
        return 1 - t, t, 0.0
    d5 = _dot(abx, aby, abz, x - cx, y - cy, z - cz)
    d6 = _dot(acx, acy, acz, x - cx, y - cy, z - cz)
    if d6 >= 0 and d5 <= d6:
        return 0.0, 0.0, 1.0
    vb = d5 * d2 - d1 * d6
    if vb <= 0 and d2 >= 0 and d6 <= 0:
        t = d2 / (d2 - d6)
        return 1 - t, 0.0, t
    va = d3 * d6 - d5 * d4
    if va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        t = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return 0.0, 1 - t, t
    total = va + vb + vc
    if not total > 0:
        return 1.0, 0.0, 0.0
    return va / total, vb / total, vc / total


class Triangles(NamedTuple):
    """Triangles in the tree's order: corners (m, 9), unit normals (m, 3), labels (m,)."""

    corners: F32
    normals: F32
    labels: I32
    boxes: F32
    leaves: int


@numba.njit(cache=True, inline="always")
def _square_to(corners: F32, k: int, x: float, y: float, z: float) -> tuple[float, float, float, float]:
    u, v, w = _closest_shares(corners, k, x, y, z)
    dx = u * corners[k, 0] + v * corners[k, 3] + w * corners[k, 6] - x
    dy = u * corners[k, 1] + v * corners[k, 4] + w * corners[k, 7] - y
    dz = u * corners[k, 2] + v * corners[k, 5] + w * corners[k, 8] - z
    return dx * dx + dy * dy + dz * dz, u, v, w


@numba.njit(cache=True, inline="always")
def _fits(tree: Triangles, k: int, nx: float, ny: float, nz: float, label: int, least: float) -> bool:
    if label >= 0 and tree.labels[k] != label:
        return False
    return tree.normals[k, 0] * nx + tree.normals[k, 1] * ny + tree.normals[k, 2] * nz >= least


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _search(
    tree: Triangles,
    queries: F64,
    query_normals: F64,
    query_labels: I32,
    asked: I32,
    least: float,
    rows: I32,
    shares: F64,
    distances: F64,
) -> None:
    """Answers for queries asked[...], in that order; rows in the tree's order."""
    stack = np.empty(128, np.int64)
    squares = np.empty(128, np.float64)
    last = -1
    for i in range(asked.shape[0]):
        q = asked[i]
        x, y, z = queries[q, 0], queries[q, 1], queries[q, 2]
        nx, ny, nz = query_normals[q, 0], query_normals[q, 1], query_normals[q, 2]
        best = np.inf
        row = -1
        bu = bv = bw = 0.0
        if last >= 0 and _fits(tree, last, nx, ny, nz, query_labels[q], least):
            best, bu, bv, bw = _square_to(tree.corners, last, x, y, z)
            row = last
        size = 1
        stack[0] = 1
        squares[0] = box_square(tree.boxes, 1, x, y, z)
        while size > 0:
            size -= 1
            node = stack[size]
            if squares[size] >= best:
                continue
            if node < tree.leaves:
                left, right = 2 * node, 2 * node + 1
                dl = box_square(tree.boxes, left, x, y, z)
                dr = box_square(tree.boxes, right, x, y, z)
                # The nearer child is looked at first: it goes on top.
                if dl < dr:
                    left, right, dl, dr = right, left, dr, dl
                if dl < best:
                    stack[size], squares[size] = left, dl
                    size += 1
                if dr < best:
                    stack[size], squares[size] = right, dr
                    size += 1
                continue
            begin = (node - tree.leaves) * LEAF
            for k in range(begin, min(begin + LEAF, tree.corners.shape[0])):
                if not _fits(tree, k, nx, ny, nz, query_labels[q], least):
                    continue
                square, u, v, w = _square_to(tree.corners, k, x, y, z)
                if square < best:
                    best, row = square, k
                    bu, bv, bw = u, v, w
        last = row
        rows[q] = row
        shares[q, 0], shares[q, 1], shares[q, 2] = bu, bv, bw
        distances[q] = np.sqrt(best)


QUERIES_AT_ONCE = 16_384


class ClosestTree:
    """Answers where on a mesh is closest. labels: (m,) of the triangles, to be asked for by label. normals: (m, 3) that
    they face along, where it is not their own: for edges, as triangles two of whose corners are one.
    """

    def __init__(
        self, positions: F32, triangles: U32, labels: I32 | None = None, normals: F32 | None = None
    ) -> None:
        positions = np.ascontiguousarray(positions, np.float32)
        index = np.ascontiguousarray(triangles.astype(np.int32))
        corners = positions[index]
        tree = boxes_over(corners.min(axis=1), corners.max(axis=1), LEAF)
        self._order = tree.order
        held = np.zeros(index.shape[0], np.int32) if labels is None else labels.astype(np.int32)
        self._tree = Triangles(
            np.ascontiguousarray(corners[tree.order].reshape(-1, 9)),
            (unit_normals(positions, index) if normals is None else normals)[tree.order],
            held[tree.order],
            tree.boxes,
            tree.leaves,
        )

    def closest(
        self,
        queries: F32 | F64,
        normals: F32 | F64 | None = None,
        facing_limit: float = 180.0,
        labels: I32 | None = None,
        progress: Progress = silent,
    ) -> Hits:
        """The closest place to each query (n, 3).

        normals: (n, 3) of the queries; triangles turned from them by more than facing_limit degrees
        are passed over. labels: (n,) wanted of the triangle, −1 for any.
        """
        count = queries.shape[0]
        q = queries.astype(np.float64)
        facing = np.zeros((count, 3)) if normals is None else normals.astype(np.float64)
        limited = normals is not None and facing_limit < 180
        least = float(np.cos(np.radians(facing_limit))) if limited else -2.0
        wanted = np.full(count, -1, np.int32) if labels is None else labels.astype(np.int32)
        rows, shares = np.empty(count, np.int32), np.zeros((count, 3))
        distances = np.empty(count)
        order = morton_order(q.astype(np.float32)) if count else np.empty(0, np.int32)

        def search(begin: int) -> None:
            asked = order[begin : begin + QUERIES_AT_ONCE]
            _search(self._tree, q, facing, wanted, asked, least, rows, shares, distances)

        threaded(search, range(0, count, QUERIES_AT_ONCE), progress)
        faces = np.where(rows >= 0, self._order[np.maximum(rows, 0)], -1).astype(np.int32)
        return Hits(faces, shares, distances)
