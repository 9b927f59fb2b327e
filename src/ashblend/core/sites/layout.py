"""How the numbers of sites are cut into tiles.

A tile is TILE numbers: a run of vertices, or a square of 256² texels row by row. It is the unit of
storage, of frames and of dirty marks, so that every cost follows what was touched.
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import I32, I64, U32, Ids

TILE_BITS = 16
TILE = 1 << TILE_BITS
SIDE = 256


@dataclass(frozen=True)
class Layout:
    """extent: numbers lie below it. across: squares in a row of them, or 0 for runs."""

    extent: int
    across: int = 0

    @property
    def tiles(self) -> int:
        return (self.extent + TILE - 1) // TILE

    def span(self, tile: int) -> slice:
        """The numbers of a tile."""
        return slice(tile * TILE, min((tile + 1) * TILE, self.extent))


def runs(count: int) -> Layout:
    """Sites numbered one after another."""
    return Layout(count)


def squares(size: int) -> Layout:
    """size² texels, size a multiple of 256."""
    return Layout(size * size, size // SIDE)


def tiles_of(sites: U32 | Ids) -> I32:
    """The tiles that sites lie in, ascending, no repeats."""
    return np.unique(np.asarray(sites) >> TILE_BITS).astype(np.int32)


def texel_number(x: I64, y: I64, size: int) -> I64:
    """Number of the texel in column x, row y of a map of size²."""
    across = size // SIDE
    tile = (y // SIDE) * across + x // SIDE
    return tile * TILE + (y % SIDE) * SIDE + x % SIDE


def texel_place(number: Ids, size: int) -> tuple[I64, I64]:
    """Column and row of numbered texels."""
    across = size // SIDE
    at = np.asarray(number).astype(np.int64)
    tile, inner = at >> TILE_BITS, at & (TILE - 1)
    return (tile % across) * SIDE + inner % SIDE, (tile // across) * SIDE + inner // SIDE
