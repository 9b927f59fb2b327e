"""Mesh vertices as sites."""

from collections.abc import Callable
from functools import cached_property

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32, Mask, zero_pages
from ashblend.core.sites.boxes import Boxes, boxes_over, leaves_within
from ashblend.core.sites.edges import edges_between, place_of_vertex
from ashblend.core.sites.layout import Layout, runs
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.patch import (
    NOBODY,
    ONE,
    Graph,
    Patch,
    Places,
    Points,
    Sample,
    Window,
    number_by_row,
)
from ashblend.core.sites.triangle import area_vector
from ashblend.core.sites.weld import Weld, invert_map, weld_positions

LEAF = 24


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


@numba.njit(cache=True, nogil=True)
def _within(
    sorted_positions: F32,
    order: I32,
    boxes: F32,
    leaves: int,
    centre: F32,
    radius: float,
    some: I32,
    ids: I32,
    positions: F32,
    distances: F32,
) -> int:
    """Write points in reach; how many there are, of which only as many are written as there is room for."""
    limit = np.float32(radius) * np.float32(radius)
    x, y, z = centre[0], centre[1], centre[2]
    met = leaves_within(boxes, leaves, x, y, z, float(limit), some)
    count = 0
    capacity = ids.shape[0]
    for k in range(met):
        begin = some[k] * LEAF
        for i in range(begin, min(begin + LEAF, order.shape[0])):
            dx = sorted_positions[i, 0] - x
            dy = sorted_positions[i, 1] - y
            dz = sorted_positions[i, 2] - z
            square = dx * dx + dy * dy + dz * dz
            if square <= limit:
                if count < capacity:
                    ids[count] = order[i]
                    positions[count, 0] = sorted_positions[i, 0]
                    positions[count, 1] = sorted_positions[i, 1]
                    positions[count, 2] = sorted_positions[i, 2]
                    distances[count] = np.sqrt(square)
                count += 1
    return count


@numba.njit(cache=True, nogil=True)
def _details(ids: U32, normals: F32, offsets: U32, point_sites: U32) -> tuple[F32, I32, U32]:
    """Normals of points, and CSR of their sites."""
    count = ids.shape[0]
    out = np.empty((count, 3), np.float32)
    starts = np.empty(count + 1, np.int32)
    starts[0] = 0
    for k in range(count):
        p = ids[k]
        out[k, 0], out[k, 1], out[k, 2] = normals[p, 0], normals[p, 1], normals[p, 2]
        starts[k + 1] = starts[k] + (offsets[p + ONE] - offsets[p])
    sites = np.empty(starts[count], np.uint32)
    for k in range(count):
        n = np.uint32(starts[k])
        for j in range(offsets[ids[k]], offsets[ids[k] + ONE]):
            sites[n] = point_sites[j]
            n += ONE
    return out, starts, sites


@numba.njit(cache=True, nogil=True)
def _fans_of(ids: U32, offsets: U32, fans: U32) -> tuple[I32, U32]:
    """CSR of the fans of some points."""
    starts = np.empty(ids.shape[0] + 1, np.int32)
    starts[0] = 0
    for k in range(ids.shape[0]):
        starts[k + 1] = starts[k] + (offsets[ids[k] + ONE] - offsets[ids[k]])
    out = np.empty((starts[-1], 2), np.uint32)
    n = np.uint32(0)
    for k in range(ids.shape[0]):
        for j in range(offsets[ids[k]], offsets[ids[k] + ONE]):
            out[n, 0], out[n, 1] = fans[j, 0], fans[j, 1]
            n = np.uint32(n + ONE)
    return starts, out


@numba.njit(cache=True, nogil=True)
def _inner_fans(ids: U32, offsets: U32, fans: U32, rows: U32) -> tuple[I32, U32]:
    """The same by rows among those points, −1 for others; rows: as for `number_by_row`.

    Every dab by skin asks for these, and by two passes they took twice as long.
    """
    starts = np.empty(ids.shape[0] + 1, np.int32)
    starts[0] = 0
    for k in range(ids.shape[0]):
        rows[ids[k]] = k + 1
        starts[k + 1] = starts[k] + (offsets[ids[k] + ONE] - offsets[ids[k]])
    out = np.empty((starts[-1], 2), np.uint32)
    n = np.uint32(0)
    for k in range(ids.shape[0]):
        for j in range(offsets[ids[k]], offsets[ids[k] + ONE]):
            out[n, 0], out[n, 1] = rows[fans[j, 0]] - ONE, rows[fans[j, 1]] - ONE
            n = np.uint32(n + ONE)
    for k in range(ids.shape[0]):
        rows[ids[k]] = 0
    return starts, out


@numba.njit(cache=True, nogil=True)
def _on_any(sites: U32, offsets: I32, corners: I32, faces: Mask) -> Mask:
    """(k,) whether vertices are corners of any chosen triangle."""
    out = np.zeros(sites.shape[0], np.bool_)
    for k in range(sites.shape[0]):
        for j in range(offsets[sites[k]], offsets[sites[k] + 1]):
            if faces[corners[j] // 3]:
                out[k] = True
                break
    return out


class MeshVertices:
    """The vertices of a mesh.

    A point is one or more vertices at one position; a hard border keeps its two sides apart.
    positions, normals: (vertices, 3); normals are the file's, or area-weighted over the triangles.
    areas: (vertices,) m², which sum to the surface's. Cheap things are worked out at once, the rest when
    first asked for.
    """

    def __init__(self, mesh: Mesh) -> None:
        self._mesh = mesh
        self.positions: F32 = np.ascontiguousarray(mesh.positions, np.float32)
        self.weld: Weld = weld_positions(
            self.positions, mesh.side_of_vertex if mesh.sides is not None else None
        )
        site_triangles = np.ascontiguousarray(mesh.triangles.astype(np.int32))
        sums = np.zeros((self.count, 3), np.float32)
        self.areas: F32 = np.zeros(self.count, np.float32)
        _area_vectors(self.positions, site_triangles, self.areas, sums)
        first = self.weld.first_sites
        self.point_positions: F32 = np.ascontiguousarray(self.positions[first])
        self._triangles: I32 = np.ascontiguousarray(self.weld.point_of_site[site_triangles])
        point_sums = np.zeros((self.weld.point_count, 3), np.float32)
        _area_vectors(
            self.point_positions, self._triangles, np.zeros(self.weld.point_count, np.float32), point_sums
        )
        self.point_normals: F32 = unit(point_sums)
        # Without normals in the file, a split vertex still shades smoothly over its seam.
        self.normals: F32 = (
            unit(mesh.normals) if mesh.normals is not None else self.point_normals[self.weld.point_of_site]
        )

    @property
    def count(self) -> int:
        return int(self.positions.shape[0])

    @property
    def layout(self) -> Layout:
        return runs(self.count)

    @cached_property
    def tree(self) -> tuple[Boxes, F32]:
        """An index over the points, and their positions in its order."""
        boxes = boxes_over(self.point_positions, self.point_positions, LEAF)
        return boxes, np.ascontiguousarray(self.point_positions[boxes.order])

    @cached_property
    def fans(self) -> tuple[I32, I32]:
        return fan_corners(self._triangles, self.weld.point_count)

    def neighbours(self) -> tuple[I32, I32]:
        """CSR (offsets (points + 1,), points): points that share an edge."""
        return edge_neighbours(*self.fans)

    def neighbourhood(self) -> "VertexNeighbourhood":
        return VertexNeighbourhood(self)

    def window(self, sites: U32) -> Window:
        return Window(sites, self.positions[sites], self.normals[sites], self.areas[sites])

    def in_tile(self, tile: int) -> U32:
        span = self.layout.span(tile)
        return np.arange(span.start, span.stop, dtype=np.uint32)

    @cached_property
    def _corner_of(self) -> I32:
        """(vertices,) a place in the flat list of triangles where each stands, −1 for none."""
        out = np.full(self.count, -1, np.int32)
        corners = self._mesh.triangles.reshape(-1)
        out[corners[::-1]] = np.arange(corners.shape[0], dtype=np.int32)[::-1]
        return out

    def on_surface(self, sites: U32) -> Places:
        corner = self._corner_of[sites]
        shares = np.zeros((sites.shape[0], 3))
        shares[np.arange(sites.shape[0]), corner % 3] = 1.0
        return Places(np.where(corner >= 0, corner // 3, -1).astype(np.int32), shares)

    def sample(self, places: Places) -> Sample:
        corners = self._mesh.triangles[np.maximum(places.faces, 0)].astype(np.int32)
        return Sample(corners, np.where(places.faces[:, None] >= 0, places.shares, 0.0))

    @cached_property
    def _corners_at(self) -> tuple[I32, I32]:
        """CSR from a vertex to its places in the flat list of triangles."""
        return invert_map(self._mesh.triangles.reshape(-1).astype(np.int32), self.count)

    def on_faces(self, faces: Mask) -> Callable[[U32], Mask]:
        return lambda sites: _on_any(sites, *self._corners_at, faces)

    def faces_of(self, sites: U32) -> Mask:
        on = np.zeros(self.count, bool)
        on[sites] = True
        return np.asarray(on[self._mesh.triangles].any(axis=1))

    def border(self, faces: Mask) -> U32:
        # By place, so that a hard border counts as one.
        places = place_of_vertex(self._mesh)
        inside, outside = (np.zeros(int(places.max()) + 1, bool) for _ in range(2))
        inside[places[self._mesh.triangles[faces]]] = True
        outside[places[self._mesh.triangles[~faces]]] = True
        return np.flatnonzero((inside & outside)[places]).astype(np.uint32)

    def open_edges(self) -> U32:
        edges = edges_between(self.weld.point_of_site[self._mesh.triangles])
        points = np.unique(edges.ends[edges.uses == 1])
        at = np.zeros(self.weld.point_count, bool)
        at[points] = True
        return np.flatnonzero(at[self.weld.point_of_site]).astype(np.uint32)

    def image(self, _: Callable[[U32], F64]) -> F64:
        raise ValueError("vertices do not lie on a map")

    def everything(self) -> tuple[Patch, Graph]:
        weld = self.weld
        ids = np.arange(weld.point_count, dtype=np.int32)
        patch = Patch(
            ids,
            weld.offsets,
            weld.sites.astype(np.uint32),
            self.point_positions,
            self.point_normals,
            np.zeros(ids.shape[0], np.float32),
        )
        offsets, fans = self.fans
        return patch, Graph(offsets, fans, self.point_positions, NOBODY)

    def shown_by(self, _: U32) -> tuple[U32, U32]:
        nobody = np.empty(0, np.uint32)
        return nobody, nobody

    def shown_by_tile(self, _: int) -> tuple[U32, U32]:
        nobody = np.empty(0, np.uint32)
        return nobody, nobody


class VertexNeighbourhood:
    """See `Neighbourhood`."""

    def __init__(self, vertices: MeshVertices) -> None:
        self._vertices = vertices
        self._capacity = 4096
        self._some: I32 = zero_pages(vertices.tree[0].leaves, np.int32)
        self._rows: U32 = zero_pages(vertices.weld.point_count, np.uint32)

    def ball(self, centre: F32, radius: float) -> Patch:
        boxes, positions = self._vertices.tree
        while True:
            ids = np.empty(self._capacity, np.int32)
            at = np.empty((self._capacity, 3), np.float32)
            distances = np.empty(self._capacity, np.float32)
            count = _within(
                positions, boxes.order, boxes.boxes, boxes.leaves, centre, radius,
                self._some, ids, at, distances,
            )  # fmt: skip
            if count <= self._capacity:
                break
            self._capacity = 2 * count
        weld = self._vertices.weld
        normals, offsets, sites = _details(
            ids[:count].view(np.uint32),
            self._vertices.point_normals,
            weld.offsets.view(np.uint32),
            weld.sites.view(np.uint32),
        )
        return Patch(ids[:count], offsets, sites, at[:count], normals, distances[:count])

    def graph(self, patch: Patch, rim: bool) -> Graph:
        vertices = self._vertices
        ids = patch.ids.view(np.uint32)
        corners, around = (part.view(np.uint32) for part in vertices.fans)
        if not rim:
            starts, fans = _inner_fans(ids, corners, around, self._rows)
            return Graph(starts, fans.view(np.int32), patch.positions, NOBODY)
        starts, fans = _fans_of(ids, corners, around)
        outside = number_by_row(ids, fans, self._rows, True)
        positions = patch.positions
        if not outside.size:
            return Graph(starts, fans.view(np.int32), positions, NOBODY)
        weld = vertices.weld
        _, offsets, sites = _details(
            outside,
            vertices.point_normals,
            weld.offsets.view(np.uint32),
            weld.sites.view(np.uint32),
        )
        positions = np.concatenate([positions, vertices.point_positions[outside]])
        return Graph(starts, fans.view(np.int32), positions, Points(outside.view(np.int32), offsets, sites))


def mesh_vertices(mesh: Mesh) -> MeshVertices:
    """The sites of a mesh: its vertices, in file order."""
    return MeshVertices(mesh)
