"""Mesh vertices as sites."""

from functools import cached_property

import numba
import numpy as np

from ashblend.core.arrays import F32, I32
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.point_grids import PointGrids
from ashblend.core.sites.triangle import area_vector
from ashblend.core.sites.weld import Weld, invert_map, weld_positions


@numba.njit(cache=True)
def _area_vectors(positions: F32, triangles: I32, weights: F32, sums: F32) -> None:
    """Add each triangle's area vector to its corners' sums and a third of its area to their weights."""
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        nx, ny, nz = area_vector(positions, a, b, c)
        area = 0.5 * np.sqrt(nx * nx + ny * ny + nz * nz)
        for corner in (a, b, c):
            sums[corner, 0] += nx
            sums[corner, 1] += ny
            sums[corner, 2] += nz
            weights[corner] += area / 3.0


@numba.njit(cache=True)
def fan_corners(triangles: I32, points: int) -> tuple[I32, I32]:
    """CSR from a point to the other two corners of each triangle at it."""
    offsets, corners = invert_map(triangles.reshape(-1), points)
    pairs = np.empty((corners.shape[0], 2), np.int32)
    for k in range(corners.shape[0]):
        t = corners[k] // 3
        corner = corners[k] - 3 * t
        pairs[k, 0] = triangles[t, (corner + 1) % 3]
        pairs[k, 1] = triangles[t, (corner + 2) % 3]
    return offsets, pairs


@numba.njit(cache=True)
def edge_neighbours(offsets: I32, fans: I32) -> tuple[I32, I32]:
    """CSR of the points that share an edge, without repeats."""
    points = offsets.shape[0] - 1
    seen_by = np.full(points, -1, np.int32)
    out_offsets = np.zeros(points + 1, np.int32)
    out = np.empty(2 * fans.shape[0], np.int32)
    count = 0
    for p in range(points):
        for k in range(offsets[p], offsets[p + 1]):
            for side in range(2):
                q = fans[k, side]
                if q != p and seen_by[q] != p:
                    seen_by[q] = p
                    out[count] = q
                    count += 1
        out_offsets[p + 1] = count
    return out_offsets, out[:count].copy()


def unit(vectors: F32) -> F32:
    """Rows (n, 3) scaled to length one; a zero row becomes up (0, 1, 0)."""
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    safe = np.where(length > 0, length, 1)
    return np.where(length > 0, vectors / safe, np.array([0, 1, 0], np.float32)).astype(np.float32)


class MeshVertices(PointGrids):
    """The vertices of a mesh, with everything a brush asks of them.

    Normals are the file's, or area-weighted over the triangles where it has none.
    Cheap things are worked out at once, the rest when first asked for.
    """

    def __init__(self, mesh: Mesh) -> None:
        self.positions: F32 = np.ascontiguousarray(mesh.positions, np.float32)
        self.weld: Weld = weld_positions(
            self.positions, mesh.side_of_vertex if mesh.sides is not None else None
        )
        site_triangles = np.ascontiguousarray(mesh.triangles.astype(np.int32))
        sums = np.zeros((self.count, 3), np.float32)
        self.areas: F32 = np.zeros(self.count, np.float32)
        _area_vectors(self.positions, site_triangles, self.areas, sums)
        first = self.weld.first_sites
        self._point_positions: F32 = np.ascontiguousarray(self.positions[first])
        self._triangles: I32 = np.ascontiguousarray(self.weld.point_of_site[site_triangles])
        point_sums = np.zeros((self.weld.point_count, 3), np.float32)
        _area_vectors(
            self._point_positions, self._triangles, np.zeros(self.weld.point_count, np.float32), point_sums
        )
        self._point_normals: F32 = unit(point_sums)
        # Without normals in the file, a split vertex still shades smoothly over its seam.
        self.normals: F32 = (
            unit(mesh.normals) if mesh.normals is not None else self._point_normals[self.weld.point_of_site]
        )
        super().__init__()

    @property
    def count(self) -> int:
        return int(self.positions.shape[0])

    @property
    def point_positions(self) -> F32:
        return self._point_positions

    @property
    def point_normals(self) -> F32:
        return self._point_normals

    @cached_property
    def fans(self) -> tuple[I32, I32]:
        return fan_corners(self._triangles, self.weld.point_count)

    @cached_property
    def _neighbours(self) -> tuple[I32, I32]:
        return edge_neighbours(*self.fans)

    def neighbours(self) -> tuple[I32, I32]:
        return self._neighbours


def mesh_vertices(mesh: Mesh) -> MeshVertices:
    """The sites of a mesh: its vertices, in file order."""
    return MeshVertices(mesh)
