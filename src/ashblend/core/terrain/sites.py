"""Cells or corners of a terrain as sites.

Nothing is kept for a site: place, normal and area follow from the heights. They are numbered by squares, and numbers
that no site has fill the last ones up.
"""

from collections.abc import Callable
from functools import cached_property

import numpy as np

from ashblend.core.arrays import F32, F64, I32, I64, U32, Mask
from ashblend.core.sites.layout import SIDE, TILE, Layout
from ashblend.core.sites.patch import Graph, Patch, Places, Sample, Window
from ashblend.core.sites.texel_patch import TexelPatches, met
from ashblend.core.terrain.field import HeightField
from ashblend.core.terrain.frame import Frame
from ashblend.core.terrain.grid_kernels import fans_on_grid, inner_fans_on_grid, place_sites, sites_within

# Where the first site lies in its cell: a cell's centre, or the corner itself.
CELLS, CORNERS = 0.5, 0.0
NOBODY: U32 = np.empty(0, np.uint32)


class TerrainSites:
    """rows × cols sites over the whole of a height field. shift: CELLS or CORNERS."""

    def __init__(self, field: HeightField, rows: int, cols: int, shift: float) -> None:
        self.field = field
        self.rows = rows
        self.cols = cols
        self.shift = shift
        self.across = -(-cols // SIDE)
        self._frame = Frame(field.terrain)

    @property
    def count(self) -> int:
        return self.rows * self.cols

    @property
    def layout(self) -> Layout:
        return Layout(self.across * -(-self.rows // SIDE) * TILE, self.across)

    @property
    def _grid(self) -> tuple[F32, float, int, int, float, int]:
        return (
            self.field.heights,
            self.field.terrain.spacing,
            self.rows,
            self.cols,
            self.shift,
            self.across,
        )

    # Numbers, columns and rows

    def number(self, cols: I64, rows: I64) -> U32:
        """Numbers of the sites in columns and rows (k,)."""
        tile = (rows // SIDE) * self.across + cols // SIDE
        return (tile * TILE + (rows % SIDE) * SIDE + cols % SIDE).astype(np.uint32)

    def column_and_row(self, sites: U32) -> tuple[I64, I64]:
        """Of sites (k,)."""
        at = sites.astype(np.int64)
        tile, inner = at // TILE, at % TILE
        return (tile % self.across) * SIDE + inner % SIDE, (tile // self.across) * SIDE + inner // SIDE

    def over(self, sites: U32) -> F64:
        """(k, 2) where sites lie over the whole terrain, 0..1 across and down."""
        cols, rows = self.column_and_row(sites)
        return np.stack([self._share(cols, self.cols), self._share(rows, self.rows)], axis=1)

    def _share(self, at: I64, count: int) -> F64:
        return np.asarray((at + self.shift) / (count - 1 + 2 * self.shift), np.float64)

    # What sites are asked

    def neighbourhood(self) -> "TerrainNeighbourhood":
        return TerrainNeighbourhood(self)

    def window(self, sites: U32) -> Window:
        return Window(sites, *place_sites(*self._grid, sites))

    def in_tile(self, tile: int) -> U32:
        left, top = (tile % self.across) * SIDE, (tile // self.across) * SIDE
        cols, rows = min(SIDE, self.cols - left), min(SIDE, self.rows - top)
        inner = np.arange(rows)[:, None] * SIDE + np.arange(cols)
        return (inner + tile * TILE).astype(np.uint32).reshape(-1)

    def on_surface(self, sites: U32) -> Places:
        return self._frame.places(self.over(sites))

    def sample(self, places: Places) -> Sample:
        """Bilinear between sites, clamped at the edge."""
        at = self._frame.over(places)
        counts = np.array([self.cols, self.rows], np.float64)
        at = np.clip(at * (counts - 1 + 2 * self.shift) - self.shift, 0, counts - 1)
        low = np.minimum(np.floor(at), np.maximum(counts - 2, 0))
        f = at - low
        sites = np.empty((at.shape[0], 4), np.int32)
        shares = np.empty((at.shape[0], 4))
        for corner in range(4):
            dx, dy = corner & 1, corner >> 1
            cols = np.minimum(low[:, 0].astype(np.int64) + dx, self.cols - 1)
            rows = np.minimum(low[:, 1].astype(np.int64) + dy, self.rows - 1)
            sites[:, corner] = self.number(cols, rows)
            shares[:, corner] = (f[:, 0] if dx else 1 - f[:, 0]) * (f[:, 1] if dy else 1 - f[:, 1])
        shares *= (places.faces >= 0)[:, None]
        return Sample(sites, shares)

    def on_faces(self, faces: Mask) -> Callable[[U32], Mask]:
        return lambda sites: faces[self.on_surface(sites).faces]

    def faces_of(self, sites: U32) -> Mask:
        out = np.zeros(self._frame.triangles, bool)
        out[self.on_surface(sites).faces] = True
        return out

    def border(self, faces: Mask) -> U32:
        inside = self.image(lambda sites: faces[self.on_surface(sites).faces].astype(np.float64)) > 0
        out = np.zeros_like(inside)
        for axis in (0, 1):
            differs = np.diff(inside, axis=axis)
            first, second = [slice(None)] * 2, [slice(None)] * 2
            first[axis], second[axis] = slice(None, -1), slice(1, None)
            out[tuple(first)] |= differs
            out[tuple(second)] |= differs
        rows, cols = np.nonzero(out)
        return np.sort(self.number(cols, rows))

    def open_edges(self) -> U32:
        """Sites along the terrain's own edge."""
        outline = np.zeros((self.rows, self.cols), bool)
        outline[[0, -1]] = True
        outline[:, [0, -1]] = True
        rows, cols = np.nonzero(outline)
        return np.sort(self.number(cols, rows))

    def image(self, read: Callable[[U32], F64]) -> F64:
        out = np.empty((self.rows, self.cols))
        for tile in range(self.layout.tiles):
            left, top = (tile % self.across) * SIDE, (tile // self.across) * SIDE
            here = out[top : top + SIDE, left : left + SIDE]
            here[...] = read(self.in_tile(tile)).reshape(here.shape)
        return out

    def everything(self) -> tuple[Patch, Graph]:
        ids = np.concatenate([self.in_tile(tile) for tile in range(self.layout.tiles)]).astype(np.int32)
        neighbourhood = self.neighbourhood()
        patch = neighbourhood.patches.patch(ids, np.zeros(3, np.float32))
        return patch, neighbourhood.graph(patch, False)

    def shown_by(self, _: U32) -> tuple[U32, U32]:
        return NOBODY, NOBODY

    def shown_by_tile(self, _: int) -> tuple[U32, U32]:
        return NOBODY, NOBODY


class TerrainNeighbourhood:
    """See `Neighbourhood`. A site is a point."""

    def __init__(self, sites: TerrainSites) -> None:
        self._sites = sites
        self._capacity = 4096

    @cached_property
    def patches(self) -> TexelPatches:
        sites = self._sites
        return TexelPatches(
            sites.layout.extent,
            sites.window,
            lambda ids: fans_on_grid(ids, sites.rows, sites.cols, sites.across),
            lambda ids, rows: inner_fans_on_grid(ids, sites.rows, sites.cols, sites.across, rows),
        )

    def ball(self, centre: F32, radius: float) -> Patch:
        def ask(ids: I32) -> int:
            return int(sites_within(*self._sites._grid, centre, radius, ids))

        ids = met(ask, self._capacity)
        self._capacity = max(self._capacity, ids.shape[0])
        return self.patches.patch(ids, centre)

    def graph(self, patch: Patch, rim: bool) -> Graph:
        return self.patches.graph(patch, rim)
