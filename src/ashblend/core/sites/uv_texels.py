"""Texels of a mesh's first UV set as sites.

A texel is a site when its centre lies inside a triangle of the map (the first one, where they
overlap). What is kept is that triangle's number, four bytes a texel; its place, normal and area
are worked out from it for the part that is asked for. Neighbours within a chart are joined into small
triangles, so that reach and smoothing run over texels as over a mesh; over a seam, texels on both
sides of it are linked one to one.
"""

from collections.abc import Callable
from functools import cached_property

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, I64, U32, Mask, zero_pages
from ashblend.core.sites.boxes import Boxes, boxes_over, leaves_within
from ashblend.core.sites.charts import chart_of_face, seams_of
from ashblend.core.sites.edges import place_of_vertex
from ashblend.core.sites.layout import SIDE, Layout, squares, texel_number, texel_place
from ashblend.core.sites.map_graph import border_texels, local_fans, seam_links
from ashblend.core.sites.map_raster import grow, number_at, place_of, raster
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.patch import Graph, Patch, Places, Points, Sample, Window
from ashblend.core.sites.triangle import area_vector

SIZES = (256, 512, 1024, 2048, 4096)
GUTTER = 4
# Of pictures for elsewhere, whose smaller copies would bleed.
PADDING = 16
LEAF = 4


@numba.njit(cache=True, inline="always")
def _shares(uv: F32, a: int, b: int, c: int, x: float, y: float) -> tuple[float, float, float]:
    """Barycentric shares of a place of the map."""
    area = (float(uv[b, 0]) - uv[a, 0]) * (float(uv[c, 1]) - uv[a, 1]) - (float(uv[c, 0]) - uv[a, 0]) * (
        float(uv[b, 1]) - uv[a, 1]
    )
    u = ((uv[b, 0] - x) * (uv[c, 1] - y) - (uv[c, 0] - x) * (uv[b, 1] - y)) / area
    v = ((uv[c, 0] - x) * (uv[a, 1] - y) - (uv[a, 0] - x) * (uv[c, 1] - y)) / area
    return u, v, 1 - u - v


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _place(
    positions: F32, normals: F32, uv: F32, triangles: I32, size: int, owner: I32, texels: U32
) -> tuple[F32, F32, F32]:
    """Positions, unit normals and areas of texels."""
    across = size // SIDE
    at, towards = np.empty((texels.shape[0], 3), np.float32), np.empty((texels.shape[0], 3), np.float32)
    areas = np.empty(texels.shape[0], np.float32)
    for k in range(texels.shape[0]):
        t = owner[texels[k]] - 1
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        x, y = place_of(int(texels[k]), across)
        u, v, w = _shares(uv, a, b, c, (x + 0.5) / size, (y + 0.5) / size)
        square = 0.0
        for axis in range(3):
            at[k, axis] = u * positions[a, axis] + v * positions[b, axis] + w * positions[c, axis]
            n = u * normals[a, axis] + v * normals[b, axis] + w * normals[c, axis]
            towards[k, axis] = n
            square += n * n
        length = np.sqrt(square)
        for axis in range(3):
            if length > 0:
                towards[k, axis] /= length
            else:
                towards[k, axis] = 1.0 if axis == 1 else 0.0
        area = (uv[b, 0] - uv[a, 0]) * (uv[c, 1] - uv[a, 1]) - (uv[c, 0] - uv[a, 0]) * (uv[b, 1] - uv[a, 1])
        nx, ny, nz = area_vector(positions, a, b, c)
        areas[k] = np.sqrt(nx * nx + ny * ny + nz * nz) / abs(area) / (size * size)
    return at, towards, areas


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _places_on(uv: F32, triangles: I32, size: int, owner: I32, texels: U32) -> tuple[I32, F64]:
    across = size // SIDE
    faces, shares = np.empty(texels.shape[0], np.int32), np.empty((texels.shape[0], 3))
    for k in range(texels.shape[0]):
        t = owner[texels[k]] - 1
        faces[k] = t
        if t < 0:
            shares[k] = 0.0
            continue
        x, y = place_of(int(texels[k]), across)
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        u, v, w = _shares(uv, a, b, c, (x + 0.5) / size, (y + 0.5) / size)
        # A centre may lie a hair outside its triangle.
        u, v, w = max(0.0, u), max(0.0, v), max(0.0, w)
        total = u + v + w
        shares[k, 0], shares[k, 1], shares[k, 2] = u / total, v / total, w / total
    return faces, shares


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _within(
    positions: F32,
    uv: F32,
    triangles: I32,
    size: int,
    owner: I32,
    order: I32,
    boxes: F32,
    leaves: int,
    centre: F32,
    radius: float,
    some: I32,
    ids: I32,
) -> int:
    """Write texels in reach; how many there are, of which only as many are written as there is room for.

    Of each triangle near enough only the texels in the box round its part of the ball are looked at, so
    that a triangle as large as the map costs no more than the brush covers.
    """
    across = size // SIDE
    x, y, z = float(centre[0]), float(centre[1]), float(centre[2])
    square = radius * radius
    met = leaves_within(boxes, leaves, x, y, z, square, some)
    count = 0
    for k in range(met):
        for i in range(some[k] * LEAF, min(some[k] * LEAF + LEAF, order.shape[0])):
            t = order[i]
            a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
            ax, ay, az = float(positions[a, 0]), float(positions[a, 1]), float(positions[a, 2])
            ex, ey, ez = positions[b, 0] - ax, positions[b, 1] - ay, positions[b, 2] - az
            fx, fy, fz = positions[c, 0] - ax, positions[c, 1] - ay, positions[c, 2] - az
            wx, wy, wz = x - ax, y - ay, z - az
            nx, ny, nz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
            nn = nx * nx + ny * ny + nz * nz
            u0, v0 = float(uv[a, 0]), float(uv[a, 1])
            du1, dv1 = uv[b, 0] - u0, uv[b, 1] - v0
            du2, dv2 = uv[c, 0] - u0, uv[c, 1] - v0
            area = du1 * dv2 - du2 * dv1
            if area == 0:
                continue
            low_u, high_u = min(0.0, du1, du2), max(0.0, du1, du2)
            low_v, high_v = min(0.0, dv1, dv2), max(0.0, dv1, dv2)
            if nn > 0:
                off = wx * nx + wy * ny + wz * nz
                rest = square - off * off / nn
                if rest < 0:
                    continue
                reach = np.sqrt(rest)
                # Gradients of u and v in the triangle's plane, from its metric.
                ee = ex * ex + ey * ey + ez * ez
                ef = ex * fx + ey * fy + ez * fz
                ff = fx * fx + fy * fy + fz * fz
                p1, p2 = (du1 * ff - du2 * ef) / nn, (du2 * ee - du1 * ef) / nn
                gx, gy, gz = p1 * ex + p2 * fx, p1 * ey + p2 * fy, p1 * ez + p2 * fz
                middle = gx * wx + gy * wy + gz * wz
                half = reach * np.sqrt(gx * gx + gy * gy + gz * gz) + 1e-9
                low_u, high_u = max(low_u, middle - half), min(high_u, middle + half)
                p1, p2 = (dv1 * ff - dv2 * ef) / nn, (dv2 * ee - dv1 * ef) / nn
                gx, gy, gz = p1 * ex + p2 * fx, p1 * ey + p2 * fy, p1 * ez + p2 * fz
                middle = gx * wx + gy * wy + gz * wz
                half = reach * np.sqrt(gx * gx + gy * gy + gz * gz) + 1e-9
                low_v, high_v = max(low_v, middle - half), min(high_v, middle + half)
            x0 = int(max(0.0, np.ceil((u0 + low_u) * size - 0.5 - 1e-3)))
            x1 = int(min(size - 1.0, np.floor((u0 + high_u) * size - 0.5 + 1e-3)))
            y0 = int(max(0.0, np.ceil((v0 + low_v) * size - 0.5 - 1e-3)))
            y1 = int(min(size - 1.0, np.floor((v0 + high_v) * size - 0.5 + 1e-3)))
            for ty in range(y0, y1 + 1):
                for tx in range(x0, x1 + 1):
                    number = number_at(tx, ty, across)
                    if owner[number] != t + 1:
                        continue
                    u = (tx + 0.5) / size - u0
                    v = (ty + 0.5) / size - v0
                    s, r = (u * dv2 - v * du2) / area, (v * du1 - u * dv1) / area
                    dx = s * ex + r * fx - wx
                    dy = s * ey + r * fy - wy
                    dz = s * ez + r * fz - wz
                    if dx * dx + dy * dy + dz * dz <= square:
                        if count < ids.shape[0]:
                            ids[count] = number
                        count += 1
    return count


class UVTexels:
    """The texels of a mesh's first UV set, size × size, numbered by squares.

    normals: (n, 3) of the vertices. lost: since UVs overlap there.
    """

    def __init__(self, mesh: Mesh, normals: F32, size: int) -> None:
        """Raises ValueError without UVs or where no texel is covered."""
        if not mesh.uvs:
            raise ValueError("The mesh has no UVs.")
        self.size = size
        self._mesh = mesh
        self._positions: F32 = np.ascontiguousarray(mesh.positions)
        self._normals = normals
        self._triangles: I32 = np.ascontiguousarray(mesh.triangles.astype(np.int32))
        self._uv: F32 = np.ascontiguousarray(mesh.uvs[0], np.float32)
        self.owner: I32 = zero_pages(size * size, np.int32)
        inside, won = (np.zeros(self._triangles.shape[0], np.int64) for _ in range(2))
        raster(self._uv, self._triangles, size, self.owner, inside, won)
        self._count = int(won.sum())
        if self._count == 0:
            raise ValueError("The UVs cover no texel between 0 and 1.")
        self._lost = _lost(self._positions, self._triangles, inside, won)

    @property
    def count(self) -> int:
        return self._count

    @property
    def layout(self) -> Layout:
        return squares(self.size)

    @property
    def lost(self) -> float:
        return self._lost

    @cached_property
    def tree(self) -> Boxes:
        """An index over the triangles."""
        corners = self._positions[self._triangles]
        return boxes_over(corners.min(axis=1), corners.max(axis=1), LEAF)

    @cached_property
    def chart(self) -> I32:
        return chart_of_face(self._mesh)

    @cached_property
    def links(self) -> tuple[I32, I32]:
        """Texels linked over seams: from (ascending) and to."""
        pairs = seam_links(
            self._uv,
            self._triangles,
            place_of_vertex(self._mesh),
            seams_of(self._mesh),
            self.chart,
            self.size,
            self.owner,
        )
        pairs = np.unique(pairs, axis=0) if pairs.size else pairs
        return np.ascontiguousarray(pairs[:, 0]), np.ascontiguousarray(pairs[:, 1])

    def neighbourhood(self) -> "TexelNeighbourhood":
        return TexelNeighbourhood(self)

    def window(self, sites: U32) -> Window:
        at, towards, areas = _place(
            self._positions, self._normals, self._uv, self._triangles, self.size, self.owner, sites
        )
        return Window(sites, at, towards, areas)

    def in_tile(self, tile: int) -> U32:
        span = self.layout.span(tile)
        return (np.flatnonzero(self.owner[span]) + span.start).astype(np.uint32)

    def on_surface(self, sites: U32) -> Places:
        return Places(*_places_on(self._uv, self._triangles, self.size, self.owner, sites))

    def sample(self, places: Places) -> Sample:
        """Bilinear between texel centres, clamped at the map's edge; padded as far as the picture is."""
        corners = self._triangles[np.maximum(places.faces, 0)]
        uv = np.einsum("ij,ijk->ik", places.shares, self._uv[corners].astype(np.float64))
        return self.sample_map(uv, np.asarray(places.faces >= 0))

    def sample_map(self, uv: F64, known: Mask | None = None) -> Sample:
        """The same at places (k, 2) of the map itself."""
        last = self.size - 1
        at = np.clip(uv * self.size - 0.5, -1.0, self.size)
        low = np.floor(at)
        f = at - low
        sites = np.empty((uv.shape[0], 4), np.int32)
        shares = np.empty((uv.shape[0], 4))
        for corner in range(4):
            dx, dy = corner & 1, corner >> 1
            x = np.clip(low[:, 0] + dx, 0, last).astype(np.int64)
            y = np.clip(low[:, 1] + dy, 0, last).astype(np.int64)
            sites[:, corner] = self.shown_at(texel_number(x, y, self.size))
            shares[:, corner] = (f[:, 0] if dx else 1 - f[:, 0]) * (f[:, 1] if dy else 1 - f[:, 1])
        shares *= sites >= 0
        if known is not None:
            shares *= known[:, None]
        return Sample(np.maximum(sites, 0), shares)

    def nearest(self, uv: F64) -> I32:
        """(k,) the site at places (k, 2) of the map or just beside it, −1 farther off."""
        inside = np.asarray(((uv >= 0) & (uv <= 1)).all(axis=1))
        at = np.clip(np.floor(np.where(inside[:, None], uv, 0) * self.size), 0, self.size - 1).astype(
            np.int64
        )
        return np.where(inside, self.shown_at(texel_number(at[:, 0], at[:, 1], self.size)), -1).astype(
            np.int32
        )

    def shown_at(self, numbers: I64) -> I32:
        """(k,) whose value each texel shows, −1 for nobody's."""
        padding, sources = self.gutter
        own = self.owner[numbers] > 0
        at = np.minimum(np.searchsorted(padding, numbers), max(padding.shape[0] - 1, 0))
        if not padding.size:
            return np.where(own, numbers, -1).astype(np.int32)
        beside = np.where(padding[at] == numbers, sources[at].astype(np.int64), -1)
        return np.where(own, numbers, beside).astype(np.int32)

    def on_faces(self, faces: Mask) -> Callable[[U32], Mask]:
        return lambda sites: faces[self.owner[sites] - 1]

    def faces_of(self, sites: U32) -> Mask:
        out = np.zeros(self._triangles.shape[0], bool)
        out[self.owner[sites] - 1] = True
        return out

    def border(self, faces: Mask) -> U32:
        out = zero_pages(self.layout.extent, np.bool_)
        border_texels(self.owner, self.chart, self.size, faces, *self.links, out)
        return np.flatnonzero(out).astype(np.uint32)

    def open_edges(self) -> U32:
        raise ValueError("texels know no open edges")

    def image(self, read: Callable[[U32], F64]) -> F64:
        own = np.flatnonzero(self.owner).astype(np.uint32)
        beside, sources = self.padding(PADDING)
        out = np.zeros(self.size * self.size)
        out[self.row_by_row(own)] = read(own)
        out[self.row_by_row(beside)] = read(sources)
        return out.reshape(self.size, self.size)

    def everything(self) -> tuple[Patch, Graph]:
        ids = np.flatnonzero(self.owner).astype(np.int32)
        neighbourhood = self.neighbourhood()
        patch = neighbourhood.patch(ids, np.zeros(3, np.float32))
        return patch, neighbourhood.graph(patch, False)

    def padding(self, passes: int) -> tuple[U32, U32]:
        """Texels up to so many beside the charts, ascending, and whose value each of them shows."""
        room = 4096
        while True:
            source = zero_pages(self.layout.extent, np.int32)
            found = grow(self.owner, source, self.size, passes, room)
            if found.shape[0] < room:
                break
            room *= 4
        found = np.sort(found)
        return found, (source[found] - 1).astype(np.uint32)

    @cached_property
    def gutter(self) -> tuple[U32, U32]:
        return self.padding(GUTTER)

    @cached_property
    def _gutter_by_source(self) -> tuple[U32, U32]:
        padding, sources = self.gutter
        order = np.argsort(sources, kind="stable")
        return padding[order], sources[order]

    def shown_by(self, sites: U32) -> tuple[U32, U32]:
        padding, sources = self._gutter_by_source
        begin = np.searchsorted(sources, sites, side="left")
        count = np.searchsorted(sources, sites, side="right") - begin
        total = int(count.sum())
        if total == 0:
            return np.empty(0, np.uint32), np.empty(0, np.uint32)
        rows = np.repeat(begin - np.concatenate([[0], np.cumsum(count)[:-1]]), count) + np.arange(total)
        return padding[rows], sources[rows]

    def shown_by_tile(self, tile: int) -> tuple[U32, U32]:
        padding, sources = self.gutter
        span = self.layout.span(tile)
        begin, end = np.searchsorted(padding, [span.start, span.stop])
        return padding[begin:end], sources[begin:end]

    def row_by_row(self, sites: U32) -> I64:
        """row · size + column of texels."""
        x, y = texel_place(sites, self.size)
        return y * self.size + x


def _lost(positions: F32, triangles: I32, inside: I64, won: I64) -> float:
    """Share of the area of triangles with texel centres in them that other triangles show at."""
    corners = positions[triangles].astype(np.float64)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    met = inside > 0
    total = float(area[met].sum())
    # Neighbours share centres on their edge: what lies on it is nobody's loss.
    edge = np.minimum(3 * np.sqrt(inside[met]), inside[met] / 2)
    share = np.clip((inside[met] - won[met] - edge) / np.maximum(inside[met] - edge, 1), 0, 1)
    return float((area[met] * share).sum()) / total if total > 0 else 0.0


class TexelNeighbourhood:
    """See `Neighbourhood`. A texel is a point, and its own site."""

    def __init__(self, texels: UVTexels) -> None:
        self._texels = texels
        self._room = 4096
        self._some: I32 = zero_pages(texels.tree.leaves, np.int32)
        self._rows: I32 = zero_pages(texels.layout.extent, np.int32)

    def ball(self, centre: F32, radius: float) -> Patch:
        texels = self._texels
        tree = texels.tree
        while True:
            ids = np.empty(self._room, np.int32)
            count = _within(
                texels._positions, texels._uv, texels._triangles, texels.size, texels.owner,
                tree.order, tree.boxes, tree.leaves, centre, radius, self._some, ids,
            )  # fmt: skip
            if count <= self._room:
                return self.patch(ids[:count], centre)
            self._room = 2 * count

    def patch(self, ids: I32, centre: F32) -> Patch:
        """Texels with their distances from a place."""
        sites = ids.astype(np.uint32)
        window = self._texels.window(sites)
        away = window.positions - centre
        distances = np.sqrt(np.einsum("ij,ij->i", away, away))
        offsets = np.arange(ids.shape[0] + 1, dtype=np.int32)
        return Patch(ids, offsets, sites, window.positions, window.normals, distances)

    def graph(self, patch: Patch, rim: bool) -> Graph:
        texels = self._texels
        starts, fans, outside = local_fans(
            patch.ids, texels.owner, texels.chart, texels.size, *texels.links, self._rows, rim
        )
        sites = outside.astype(np.uint32)
        positions = patch.positions
        if outside.size:
            positions = np.concatenate([positions, texels.window(sites).positions])
        offsets = np.arange(outside.shape[0] + 1, dtype=np.int32)
        return Graph(starts, fans, positions, Points(outside, offsets, sites))
