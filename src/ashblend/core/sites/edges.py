"""Edges of a mesh, as whole points see them and as vertices do.

On a UV seam two triangles share an edge between points but not between vertices. What is decided
about an edge must be decided for both, so decisions are taken per edge between points; a hard
border keeps two edges apart, whose ends lie at the same places, so those are decided together too.
"""

from dataclasses import dataclass

import numba
import numpy as np

from ashblend.core.arrays import F32, I32, U32
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.weld import weld_positions


@dataclass(frozen=True)
class Edges:
    """of_face: (m, 3) the edge opposite nothing but from corner i to corner i+1. ends: (edges, 2).

    faces: (edges, 2) the first two triangles at it, −1 where there is none. uses: (edges,) how many.
    """

    of_face: I32
    ends: I32
    faces: I32
    uses: I32

    @property
    def count(self) -> int:
        return int(self.ends.shape[0])


@numba.njit(cache=True)
def _faces_at(of_face: I32, count: int) -> tuple[I32, I32]:
    faces = np.full((count, 2), -1, np.int32)
    uses = np.zeros(count, np.int32)
    for t in range(of_face.shape[0]):
        for i in range(3):
            e = of_face[t, i]
            if uses[e] < 2:
                faces[e, uses[e]] = t
            uses[e] += 1
    return faces, uses


@numba.njit(cache=True, nogil=True)
def _in_order(keys: I32, order: I32, count: int) -> I32:
    """An order sorted by keys 0..count − 1 of what is in it; what is alike stays in order."""
    first = np.zeros(count + 1, np.int32)
    for k in range(keys.shape[0]):
        first[keys[k] + 1] += 1
    for k in range(count):
        first[k + 1] += first[k]
    out = np.empty_like(order)
    for k in range(order.shape[0]):
        key = keys[order[k]]
        out[first[key]] = order[k]
        first[key] += 1
    return out


@numba.njit(cache=True, nogil=True)
def _numbered(low: I32, high: I32, order: I32) -> tuple[I32, I32]:
    """The number of each half-edge's edge, and the ends (edges, 2), in the order given."""
    numbers = np.empty(low.shape[0], np.int32)
    ends = np.empty((low.shape[0], 2), np.int32)
    count = 0
    for k in range(order.shape[0]):
        h = order[k]
        if k == 0 or low[h] != ends[count - 1, 0] or high[h] != ends[count - 1, 1]:
            ends[count, 0], ends[count, 1] = low[h], high[h]
            count += 1
        numbers[h] = count - 1
    return numbers, ends[:count].copy()


def edges_between(triangles: I32 | U32) -> Edges:
    """The edges of triangles (m, 3) over any numbering of their corners, in the order of their ends.

    Sorted by counting, first by the one end and then by the other, so in time linear in what there is. Tried: a stable
    sort of both ends in one number, three times as long for two million triangles.
    """
    corners = triangles.astype(np.int32)
    a, b = corners, np.roll(corners, -1, axis=1)
    low, high = np.minimum(a, b).reshape(-1), np.maximum(a, b).reshape(-1)
    count = int(corners.max(initial=-1)) + 1
    order = _in_order(high, np.arange(low.shape[0], dtype=np.int32), count)
    numbers, ends = _numbered(low, high, _in_order(low, order, count))
    of_face = numbers.reshape(-1, 3)
    faces, uses = _faces_at(of_face, ends.shape[0])
    return Edges(of_face, ends, faces, uses)


def place_of_vertex(mesh: Mesh) -> I32:
    """(n,) number of each vertex's place: those at one position share it, whatever borders part them."""
    return weld_positions(mesh.positions).point_of_site


def place_edges(mesh: Mesh) -> Edges:
    """Edges between places."""
    return edges_between(place_of_vertex(mesh)[mesh.triangles])


@numba.njit(cache=True)
def longest_edges(positions: F32, places: I32, triangles: I32) -> I32:
    """(m,) which edge of each triangle, by corner, is longest.

    Of equal ones the edge between the higher places, so that two triangles agree on a shared edge.
    """
    out = np.empty(triangles.shape[0], np.int32)
    for t in range(triangles.shape[0]):
        best = -1.0
        best_low = best_high = -1
        for i in range(3):
            a, b = triangles[t, i], triangles[t, (i + 1) % 3]
            low, high = min(places[a], places[b]), max(places[a], places[b])
            # From the lower place to the higher: rounding must not depend on the triangle.
            if places[a] > places[b]:
                a, b = b, a
            square = 0.0
            for axis in range(3):
                d = float(positions[b, axis]) - float(positions[a, axis])
                square += d * d
            if square > best or (square == best and (high, low) > (best_high, best_low)):
                best, best_low, best_high = square, low, high
                out[t] = i
    return out


def edge_lengths(positions: F32, ends: I32) -> F32:
    """(edges,) metres. ends: vertices or places with their positions."""
    return np.linalg.norm(positions[ends[:, 0]] - positions[ends[:, 1]], axis=1).astype(np.float32)
