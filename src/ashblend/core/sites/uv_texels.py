"""Texels of one of a mesh's UV sets as sites.

A texel is a site when its centre lies inside a triangle of the map (the first one, where they
overlap). What is kept is that triangle's number, four bytes a texel; its place, normal and area
are worked out from it for the part that is asked for. Neighbours within a chart are joined into small
triangles, so that reach and smoothing run over texels as over a mesh; over a seam, texels on both
sides of it are linked one to one.
"""

from collections.abc import Callable
from dataclasses import replace
from functools import cached_property

import numpy as np

from ashblend.core.arrays import F32, F64, I32, I64, U32, Mask, zero_pages
from ashblend.core.sites.boxes import Boxes, boxes_over
from ashblend.core.sites.charts import chart_of_face, seams_of
from ashblend.core.sites.edges import edges_between, place_of_vertex
from ashblend.core.sites.layout import SIDE, Layout, squares, texel_number, texel_place
from ashblend.core.sites.map_graph import border_texels, fans_of, inner_fans_of, seam_links
from ashblend.core.sites.map_places import LEAF, place_texels, places_on, texels_within
from ashblend.core.sites.map_raster import grow, raster
from ashblend.core.sites.map_rim import rim_texels
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.patch import Graph, Patch, Places, Sample, Window
from ashblend.core.sites.texel_patch import TexelPatches, met

SIZES = (256, 512, 1024, 2048, 4096)
GUTTER = 4
# Of pictures for elsewhere, whose smaller copies would bleed.
PADDING = 16


class UVTexels:
    """The texels of a mesh's UV set, size × size, numbered by squares.

    normals: (n, 3) of the vertices. uv: number of the UV set.
    """

    def __init__(self, mesh: Mesh, normals: F32, size: int, uv: int = 0) -> None:
        """Raises ValueError without these UVs, where no texel is covered, or for a size that is no whole squares."""
        if size < SIDE or size % SIDE:
            raise ValueError(f"A map's edge is a multiple of {SIDE} texels.")
        if not mesh.uvs:
            raise ValueError("The mesh has no UVs.")
        if uv >= len(mesh.uvs):
            raise ValueError(f"The mesh has no UV set {uv + 1}.")
        self.size, self.uv = size, uv
        # Charts and seams are those of this map alone.
        self._mesh = replace(mesh, uvs=(mesh.uvs[uv],))
        self._positions: F32 = np.ascontiguousarray(mesh.positions)
        self._normals = normals
        self._triangles: I32 = np.ascontiguousarray(mesh.triangles.astype(np.int32))
        self._uv: F32 = np.ascontiguousarray(mesh.uvs[uv], np.float32)
        self.owner: I32 = zero_pages(size * size, np.int32)
        inside, won = (np.zeros(self._triangles.shape[0], np.int64) for _ in range(2))
        raster(self._uv, self._triangles, size, self.owner, inside, won)
        self._count = int(won.sum())
        if self._count == 0:
            raise ValueError("The UVs cover no texel between 0 and 1.")

    @property
    def count(self) -> int:
        return self._count

    @property
    def layout(self) -> Layout:
        return squares(self.size)

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
        at, towards, areas = place_texels(
            self._positions,
            self._normals,
            self._uv,
            self._triangles.view(np.uint32),
            self.size,
            self.owner.view(np.uint32),
            sites,
        )
        return Window(sites, at, towards, areas)

    def in_tile(self, tile: int) -> U32:
        span = self.layout.span(tile)
        return (np.flatnonzero(self.owner[span]) + span.start).astype(np.uint32)

    def on_surface(self, sites: U32) -> Places:
        return Places(*places_on(self._uv, self._triangles, self.size, self.owner, sites))

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
        edges = edges_between(place_of_vertex(self._mesh)[self._triangles])
        return rim_texels(self._uv, self._triangles, edges.uses[edges.of_face] == 1, self.size, self.owner)

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
        patch = neighbourhood.patches.patch(ids, np.zeros(3, np.float32))
        return patch, neighbourhood.graph(patch, False)

    def padding(self, passes: int) -> tuple[U32, U32]:
        """Texels up to so many beside the charts, ascending, and whose value each of them shows."""
        capacity = 4096
        while True:
            source = zero_pages(self.layout.extent, np.int32)
            found = grow(self.owner, source, self.size, passes, capacity)
            if found.shape[0] < capacity:
                break
            capacity *= 4
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


class TexelNeighbourhood:
    """See `Neighbourhood`. A texel is a point, and its own site."""

    def __init__(self, texels: UVTexels) -> None:
        self._texels = texels
        self._capacity = 4096
        self._some: I32 = zero_pages(texels.tree.leaves, np.int32)
        self.patches = TexelPatches(
            texels.layout.extent,
            texels.window,
            lambda ids: fans_of(ids, texels.owner, texels.chart, texels.size, *texels.links),
            lambda ids, rows: inner_fans_of(
                ids, texels.owner, texels.chart, texels.size, *texels.links, rows
            ),
        )

    def ball(self, centre: F32, radius: float) -> Patch:
        texels = self._texels
        tree = texels.tree

        def ask(ids: I32) -> int:
            return texels_within(
                texels._positions, texels._uv, texels._triangles, texels.size, texels.owner,
                tree.order, tree.boxes, tree.leaves, centre, radius, self._some, ids,
            )  # fmt: skip

        ids = met(ask, self._capacity)
        self._capacity = max(self._capacity, ids.shape[0])
        return self.patches.patch(ids, centre)

    def graph(self, patch: Patch, rim: bool) -> Graph:
        return self.patches.graph(patch, rim)
