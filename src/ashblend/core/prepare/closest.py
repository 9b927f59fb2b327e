"""The closest place on a triangle mesh, of those that face the right way.

A bounding volume tree over triangles in Morton order, as a complete binary tree over leaves
of a few triangles. Closest point on a triangle: Ericson (2005), Real-Time Collision Detection, 5.1.5.
Tried: the closest vertex by KD-tree, wrong by up to an edge; a library's query takes as long
and cannot be told to pass over triangles that face away.
"""

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32
from ashblend.core.prepare.progress import Progress, silent
from ashblend.core.sites.triangle import area_vector

LEAF = 4


@dataclass(frozen=True)
class Hits:
    """faces: (n,) nearest triangle, −1 for none. shares: (n, 3) barycentric. distances: (n,) metres."""

    faces: I32
    shares: F64
    distances: F64


@numba.njit(cache=True, nogil=True)
def _spread(x: int) -> int:
    """Ten bits with two zeros between each."""
    x &= 0x3FF
    x = (x | x << 16) & 0x30000FF
    x = (x | x << 8) & 0x300F00F
    x = (x | x << 4) & 0x30C30C3
    return (x | x << 2) & 0x9249249


@numba.njit(cache=True, nogil=True)
def _morton(positions: F32, triangles: I32, low: F64, scale: float) -> I32:
    out = np.empty(triangles.shape[0], np.int32)
    for t in range(triangles.shape[0]):
        code = 0
        for axis in range(3):
            centre = 0.0
            for corner in range(3):
                centre += positions[triangles[t, corner], axis]
            cell = int(min(1023.0, max(0.0, (centre / 3 - low[axis]) * scale)))
            code |= _spread(cell) << axis
        out[t] = code
    return out


@numba.njit(cache=True, nogil=True)
def _boxes(positions: F32, triangles: I32, order: I32, leaves: int) -> F32:
    """Boxes (2 · leaves, 6) of a heap-ordered tree: node 1 is the root, leaves from `leaves` on."""
    boxes = np.empty((2 * leaves, 6), np.float32)
    boxes[:, :3] = np.inf
    boxes[:, 3:] = -np.inf
    for k in range(order.shape[0]):
        node = leaves + k // LEAF
        for corner in range(3):
            for axis in range(3):
                x = positions[triangles[order[k], corner], axis]
                boxes[node, axis] = min(boxes[node, axis], x)
                boxes[node, 3 + axis] = max(boxes[node, 3 + axis], x)
    for node in range(leaves - 1, 0, -1):
        for axis in range(3):
            boxes[node, axis] = min(boxes[2 * node, axis], boxes[2 * node + 1, axis])
            boxes[node, 3 + axis] = max(boxes[2 * node, 3 + axis], boxes[2 * node + 1, 3 + axis])
    return boxes


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
def _box_square(boxes: F32, node: int, x: float, y: float, z: float) -> float:
    dx = max(boxes[node, 0] - x, 0.0, x - boxes[node, 3])
    dy = max(boxes[node, 1] - y, 0.0, y - boxes[node, 4])
    dz = max(boxes[node, 2] - z, 0.0, z - boxes[node, 5])
    return dx * dx + dy * dy + dz * dz


@numba.njit(cache=True, inline="always")
def _dot(ax: float, ay: float, az: float, bx: float, by: float, bz: float) -> float:
    return ax * bx + ay * by + az * bz


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _closest_shares(
    positions: F32, a: int, b: int, c: int, x: float, y: float, z: float
) -> tuple[float, float, float]:
    """Barycentric shares of the place of triangle a b c closest to x, y, z.

    All in scalars: with small arrays instead, a search took fifty times as long.
    """
    ax, ay, az = float(positions[a, 0]), float(positions[a, 1]), float(positions[a, 2])
    bx, by, bz = float(positions[b, 0]), float(positions[b, 1]), float(positions[b, 2])
    cx, cy, cz = float(positions[c, 0]), float(positions[c, 1]), float(positions[c, 2])
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


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _search(
    positions: F32,
    triangles: I32,
    face_normals: F32,
    labels: I32,
    order: I32,
    boxes: F32,
    leaves: int,
    queries: F64,
    query_normals: F64,
    query_labels: I32,
    least: float,
    faces: I32,
    shares: F64,
    distances: F64,
) -> None:
    stack = np.empty(128, np.int64)
    squares = np.empty(128, np.float64)
    for q in range(queries.shape[0]):
        x, y, z = queries[q, 0], queries[q, 1], queries[q, 2]
        best = np.inf
        faces[q] = -1
        size = 1
        stack[0] = 1
        squares[0] = _box_square(boxes, 1, x, y, z)
        while size > 0:
            size -= 1
            node = stack[size]
            if squares[size] >= best:
                continue
            if node < leaves:
                left, right = 2 * node, 2 * node + 1
                dl = _box_square(boxes, left, x, y, z)
                dr = _box_square(boxes, right, x, y, z)
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
            begin = (node - leaves) * LEAF
            for k in range(begin, min(begin + LEAF, order.shape[0])):
                t = order[k]
                if query_labels[q] >= 0 and labels[t] != query_labels[q]:
                    continue
                facing = (
                    face_normals[t, 0] * query_normals[q, 0]
                    + face_normals[t, 1] * query_normals[q, 1]
                    + face_normals[t, 2] * query_normals[q, 2]
                )
                if facing < least:
                    continue
                a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
                u, v, w = _closest_shares(positions, a, b, c, x, y, z)
                dx = u * positions[a, 0] + v * positions[b, 0] + w * positions[c, 0] - x
                dy = u * positions[a, 1] + v * positions[b, 1] + w * positions[c, 1] - y
                dz = u * positions[a, 2] + v * positions[b, 2] + w * positions[c, 2] - z
                square = dx * dx + dy * dy + dz * dz
                if square < best:
                    best = square
                    faces[q] = t
                    shares[q, 0], shares[q, 1], shares[q, 2] = u, v, w
        distances[q] = np.sqrt(best)


QUERIES_AT_ONCE = 16_384


class ClosestTree:
    """Answers where on a mesh is closest. labels: (m,) of the triangles, to be asked for by label."""

    def __init__(self, positions: F32, triangles: U32, labels: I32 | None = None) -> None:
        self._positions = np.ascontiguousarray(positions, np.float32)
        self._triangles = np.ascontiguousarray(triangles.astype(np.int32))
        count = self._triangles.shape[0]
        self._labels = np.zeros(count, np.int32) if labels is None else labels.astype(np.int32)
        self._normals = unit_normals(self._positions, self._triangles)
        low = self._positions.min(axis=0).astype(np.float64)
        # One scale for all axes: with one each, the ripples of level ground decided the order.
        extent = float((self._positions.max(axis=0) - low).max())
        codes = _morton(self._positions, self._triangles, low, 1024 / max(extent, 1e-30))
        self._order: I32 = np.argsort(codes, kind="stable").astype(np.int32)
        self._leaves = 1
        while self._leaves * LEAF < count:
            self._leaves *= 2
        self._boxes = _boxes(self._positions, self._triangles, self._order, self._leaves)

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
        asked = np.full(count, -1, np.int32) if labels is None else labels.astype(np.int32)
        faces, shares = np.empty(count, np.int32), np.zeros((count, 3))
        distances = np.empty(count)

        def search(begin: int) -> None:
            rows = slice(begin, begin + QUERIES_AT_ONCE)
            _search(
                self._positions,
                self._triangles,
                self._normals,
                self._labels,
                self._order,
                self._boxes,
                self._leaves,
                q[rows],
                facing[rows],
                asked[rows],
                least,
                faces[rows],
                shares[rows],
                distances[rows],
            )

        # The kernel lets go of the interpreter, so plain threads use all processors.
        with ThreadPoolExecutor(os.cpu_count()) as threads:
            parts = [threads.submit(search, begin) for begin in range(0, count, QUERIES_AT_ONCE)]
            try:
                for number, part in enumerate(parts):
                    part.result()
                    progress((number + 1) / len(parts))
            except BaseException:
                for part in parts:
                    part.cancel()
                raise
        return Hits(faces, shares, distances)
