"""Texels of a mesh's first UV set as sites.

A texel is a site when its centre lies inside a triangle of the map (the first one, where they
overlap). Its place is that triangle's, by barycentric shares. Neighbours within a chart are joined
into small triangles, so that reach and smoothing run over texels as over a mesh; over a seam, texels on
both sides of it are linked one to one.
"""

from functools import cached_property
from typing import Any

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32
from ashblend.core.sites.charts import island_of_face, seams_of
from ashblend.core.sites.edges import place_of_vertex
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import edge_neighbours, fan_corners, unit
from ashblend.core.sites.point_grids import PointGrids
from ashblend.core.sites.triangle import area_vector
from ashblend.core.sites.weld import Weld, each_its_own

SIZES = (256, 512, 1024, 2048, 4096)
GUTTER = 4


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _raster(uv: F32, triangles: I32, size: int, owner: I32) -> None:
    """The first triangle over each texel's centre, −1 for none. v runs down, as glTF has it."""
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay = uv[a, 0] * size - 0.5, uv[a, 1] * size - 0.5
        bx, by = uv[b, 0] * size - 0.5, uv[b, 1] * size - 0.5
        cx, cy = uv[c, 0] * size - 0.5, uv[c, 1] * size - 0.5
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if area == 0:
            continue
        x0, x1 = int(np.ceil(min(ax, bx, cx) - 1e-4)), int(np.floor(max(ax, bx, cx) + 1e-4))
        y0, y1 = int(np.ceil(min(ay, by, cy) - 1e-4)), int(np.floor(max(ay, by, cy) + 1e-4))
        for y in range(max(0, y0), min(size - 1, y1) + 1):
            for x in range(max(0, x0), min(size - 1, x1) + 1):
                u = ((bx - x) * (cy - y) - (cx - x) * (by - y)) / area
                v = ((cx - x) * (ay - y) - (ax - x) * (cy - y)) / area
                if u >= -1e-5 and v >= -1e-5 and u + v <= 1 + 1e-5 and owner[y * size + x] < 0:
                    owner[y * size + x] = t


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _place(
    positions: F32,
    normals: F32,
    uv: F32,
    triangles: I32,
    size: int,
    texels: U32,
    owner: I32,
    out_positions: F32,
    out_normals: F32,
    areas: F32,
) -> None:
    for k in range(texels.shape[0]):
        t = owner[texels[k]]
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        x = (texels[k] % size + 0.5) / size
        y = (texels[k] // size + 0.5) / size
        area = (uv[b, 0] - uv[a, 0]) * (uv[c, 1] - uv[a, 1]) - (uv[c, 0] - uv[a, 0]) * (uv[b, 1] - uv[a, 1])
        u = ((uv[b, 0] - x) * (uv[c, 1] - y) - (uv[c, 0] - x) * (uv[b, 1] - y)) / area
        v = ((uv[c, 0] - x) * (uv[a, 1] - y) - (uv[a, 0] - x) * (uv[c, 1] - y)) / area
        w = 1 - u - v
        for axis in range(3):
            out_positions[k, axis] = u * positions[a, axis] + v * positions[b, axis] + w * positions[c, axis]
            out_normals[k, axis] = u * normals[a, axis] + v * normals[b, axis] + w * normals[c, axis]
        nx, ny, nz = area_vector(positions, a, b, c)
        areas[k] = np.sqrt(nx * nx + ny * ny + nz * nz) / abs(area) / (size * size)


@numba.njit(cache=True, inline="always")
def _put(out: I32, n: int, a: Any, b: Any, c: Any) -> int:
    """Write a triangle where there is room for it; the number of the next."""
    if n < out.shape[0]:
        out[n, 0] = a
        out[n, 1] = b
        out[n, 2] = c
    return n + 1


@numba.njit(cache=True, nogil=True)
def _cells_into(size: int, site_of_texel: I32, chart: I32, out: I32) -> int:
    n = 0
    for y in range(size):
        for x in range(size):
            at = y * size + x
            right, below = x + 1 < size, y + 1 < size
            a = site_of_texel[at]
            b = site_of_texel[at + 1] if right else np.int32(-1)
            c = site_of_texel[at + size] if below else np.int32(-1)
            d = site_of_texel[at + size + 1] if right and below else np.int32(-1)
            ab = a >= 0 and b >= 0 and chart[a] == chart[b]
            ac = a >= 0 and c >= 0 and chart[a] == chart[c]
            bd = b >= 0 and d >= 0 and chart[b] == chart[d]
            cd = c >= 0 and d >= 0 and chart[c] == chart[d]
            if ab and ac:
                n = _put(out, n, a, c, b)
            elif bd and ab:
                n = _put(out, n, a, d, b)
            if bd and cd:
                n = _put(out, n, b, c, d)
            elif ac and cd:
                n = _put(out, n, a, c, d)
            # A row one texel wide has no triangle: link it both ways.
            if ab and not ac and not bd:
                n = _put(out, n, a, b, b)
                n = _put(out, n, b, a, a)
            if ac and not ab and not cd:
                n = _put(out, n, a, c, c)
                n = _put(out, n, c, a, a)
    return n


def _cells(size: int, site_of_texel: I32, chart: I32) -> I32:
    """Triangles over neighbouring texels of one chart; pairs without any as degenerate ones."""
    count = _cells_into(size, site_of_texel, chart, np.empty((0, 3), np.int32))
    out = np.empty((count, 3), np.int32)
    _cells_into(size, site_of_texel, chart, out)
    return out


@numba.njit(cache=True, inline="always")
def _near(size: int, site_of_texel: I32, chart: I32, u: float, v: float, wanted: int) -> int:
    """The site of a chart whose texel's centre is nearest to a place of the map, within two texels."""
    best = -1
    least = 8.0
    x, y = u * size - 0.5, v * size - 0.5
    for ty in range(int(np.rint(y)) - 2, int(np.rint(y)) + 3):
        for tx in range(int(np.rint(x)) - 2, int(np.rint(x)) + 3):
            if 0 <= tx < size and 0 <= ty < size:
                s = site_of_texel[ty * size + tx]
                if s >= 0 and chart[s] == wanted:
                    d = (tx - x) ** 2 + (ty - y) ** 2
                    if d < least:
                        least = d
                        best = s
    return best


@numba.njit(cache=True, nogil=True)
def _seam_links(
    uv: F32,
    triangles: I32,
    places: I32,
    seams: I32,
    face_chart: I32,
    size: int,
    site_of_texel: I32,
    chart: I32,
) -> I32:
    """Degenerate triangles that link texels over seams. seams: (k, 4) face, corner, face, corner."""
    room = 0
    for k in range(seams.shape[0]):
        a, b = triangles[seams[k, 0], seams[k, 1]], triangles[seams[k, 0], (seams[k, 1] + 1) % 3]
        length = np.sqrt((uv[a, 0] - uv[b, 0]) ** 2 + (uv[a, 1] - uv[b, 1]) ** 2) * size
        room += 2 * (int(2 * length) + 2)
    out = np.empty((room, 3), np.int32)
    n = 0
    for k in range(seams.shape[0]):
        t, i, s, j = seams[k, 0], seams[k, 1], seams[k, 2], seams[k, 3]
        a, b = triangles[t, i], triangles[t, (i + 1) % 3]
        c, d = triangles[s, j], triangles[s, (j + 1) % 3]
        if places[a] != places[c]:
            c, d = d, c
        length = np.sqrt((uv[a, 0] - uv[b, 0]) ** 2 + (uv[a, 1] - uv[b, 1]) ** 2) * size
        steps = int(2 * length) + 1
        last_here = last_there = -1
        for step in range(steps + 1):
            f = step / steps
            here = _near(
                size,
                site_of_texel,
                chart,
                uv[a, 0] + f * (uv[b, 0] - uv[a, 0]),
                uv[a, 1] + f * (uv[b, 1] - uv[a, 1]),
                face_chart[t],
            )
            there = _near(
                size,
                site_of_texel,
                chart,
                uv[c, 0] + f * (uv[d, 0] - uv[c, 0]),
                uv[c, 1] + f * (uv[d, 1] - uv[c, 1]),
                face_chart[s],
            )
            if here < 0 or there < 0 or here == there or (here == last_here and there == last_there):
                continue
            last_here, last_there = here, there
            n = _put(out, n, here, there, there)
            n = _put(out, n, there, here, here)
    return out[:n].copy()


@numba.njit(cache=True, nogil=True)
def _grow(size: int, source: I32, passes: int) -> None:
    """Let empty texels (−1) take the source of a filled neighbour, `passes` texels far, in place."""
    for _ in range(passes):
        before = source.copy()
        for y in range(size):
            for x in range(size):
                if before[y * size + x] >= 0:
                    continue
                found = -1
                for dy in range(-1, 2):
                    for dx in range(-1, 2):
                        # Straight neighbours are nearer than diagonal ones: they win.
                        if found >= 0 and dx != 0 and dy != 0:
                            continue
                        nx, ny = x + dx, y + dy
                        if 0 <= nx < size and 0 <= ny < size and before[ny * size + nx] >= 0:
                            found = before[ny * size + nx]
                source[y * size + x] = found


class UVTexels(PointGrids):
    """The texels of a mesh's first UV set, size × size.

    texels: (sites,) row · size + column of each site, ascending.
    """

    def __init__(self, mesh: Mesh, normals: F32, size: int) -> None:
        """normals: (n, 3) of the vertices. Raises ValueError without UVs or where no texel is covered."""
        super().__init__()
        if not mesh.uvs:
            raise ValueError("The mesh has no UVs.")
        self.size = size
        self._mesh = mesh
        self._triangles: I32 = np.ascontiguousarray(mesh.triangles.astype(np.int32))
        uv: F32 = np.ascontiguousarray(mesh.uvs[0], np.float32)
        owner = np.full(size * size, -1, np.int32)
        _raster(uv, self._triangles, size, owner)
        self.texels: U32 = np.flatnonzero(owner >= 0).astype(np.uint32)
        if self.texels.size == 0:
            raise ValueError("The UVs cover no texel between 0 and 1.")
        self.face_of_site: I32 = owner[self.texels]
        count = self.texels.shape[0]
        self.positions: F32 = np.empty((count, 3), np.float32)
        raw = np.empty((count, 3), np.float32)
        self.areas: F32 = np.empty(count, np.float32)
        _place(
            np.ascontiguousarray(mesh.positions),
            normals,
            uv,
            self._triangles,
            size,
            self.texels,
            owner,
            self.positions,
            raw,
            self.areas,
        )
        self.normals: F32 = unit(raw)
        self.weld: Weld = each_its_own(count)

    @property
    def count(self) -> int:
        return int(self.texels.shape[0])

    @property
    def point_positions(self) -> F32:
        return self.positions

    @property
    def point_normals(self) -> F32:
        return self.normals

    @cached_property
    def _site_of_texel(self) -> I32:
        out = np.full(self.size * self.size, -1, np.int32)
        out[self.texels] = np.arange(self.count, dtype=np.int32)
        return out

    @cached_property
    def fans(self) -> tuple[I32, I32]:
        face_chart = island_of_face(self._mesh)
        chart = face_chart[self.face_of_site]
        cells = _cells(self.size, self._site_of_texel, chart)
        links = _seam_links(
            self._mesh.uvs[0],
            self._triangles,
            place_of_vertex(self._mesh),
            seams_of(self._mesh),
            face_chart,
            self.size,
            self._site_of_texel,
            chart,
        )
        return fan_corners(np.concatenate([cells, links]), self.count)

    @cached_property
    def _neighbours(self) -> tuple[I32, I32]:
        return edge_neighbours(*self.fans)

    def neighbours(self) -> tuple[I32, I32]:
        return self._neighbours

    def padded(self, passes: int) -> I32:
        """(size · size,) the site whose value each texel shows; −1 farther than `passes` from any."""
        source = self._site_of_texel.copy()
        _grow(self.size, source, passes)
        return source

    @cached_property
    def _gutter(self) -> I32:
        return self.padded(GUTTER)

    def site_in_map(self, uv: F64) -> I32:
        """(k,) the site at places (k, 2) of the map or just beside it, −1 farther off."""
        inside = ((uv >= 0) & (uv <= 1)).all(axis=1)
        at = np.clip(np.floor(uv * self.size), 0, self.size - 1).astype(np.int64)
        texel = np.where(inside, at[:, 1] * self.size + at[:, 0], 0)
        return np.where(inside, self._gutter[texel], -1).astype(np.int32)

    def shares_of_corners(self) -> tuple[I32, F64]:
        """For each site the vertices (sites, 3) of its triangle and their shares (sites, 3)."""
        corners = self._triangles[self.face_of_site]
        uv = self._mesh.uvs[0][corners].astype(np.float64)
        texels = self.texels.astype(np.int64)
        at = (np.stack([texels % self.size, texels // self.size], axis=1) + 0.5) / self.size
        a, b, c = uv[:, 0], uv[:, 1], uv[:, 2]

        def doubled(p: F64, q: F64, r: F64) -> F64:
            return (q[:, 0] - p[:, 0]) * (r[:, 1] - p[:, 1]) - (r[:, 0] - p[:, 0]) * (q[:, 1] - p[:, 1])

        area = doubled(a, b, c)
        shares = np.stack([doubled(at, b, c), doubled(at, c, a), doubled(at, a, b)], axis=1)
        return corners, np.clip(shares / area[:, None], 0, 1)
