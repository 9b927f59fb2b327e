"""Sites of a terrain by column and row: where they lie, which a ball reaches, who is next to whom."""

import numba
import numpy as np

from ashblend.core.arrays import F32, I32, U32
from ashblend.core.sites.layout import SIDE, TILE_BITS
from ashblend.core.sites.map_graph import six_fans
from ashblend.core.sites.map_raster import number_at, place_of
from ashblend.core.sites.patch import ONE
from ashblend.core.terrain.lie import height_at, lie_at

# Corners of the six triangles around a site, as (column, row) steps; cells are cut from lower left to upper right.
AROUND = np.array(
    [
        [[0, -1], [-1, 0]],
        [[1, -1], [0, -1]],
        [[1, 0], [1, -1]],
        [[-1, 0], [-1, 1]],
        [[-1, 1], [0, 1]],
        [[0, 1], [1, 0]],
    ],
    np.int64,
)


@numba.njit(cache=True, inline="always", error_model="numpy")
def corners_a_site(count: int, shift: float, corners: int) -> float:
    """Corners from one site to the next along a row. The site in column c lies at corner (c + shift) times that."""
    return (corners - 1) / (count - 1 + 2 * shift)


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _place_some(
    heights: F32, spacing: float, rows: int, cols: int, shift: float, across: int, sites: U32,
    at: F32, towards: F32, areas: F32, begin: int, end: int,
) -> None:  # fmt: skip
    tall, wide = heights.shape
    half_x, half_z = (wide - 1) * spacing / 2, (tall - 1) * spacing / 2
    along_x, along_y = corners_a_site(cols, shift, wide), corners_a_site(rows, shift, tall)
    cell = along_x * along_y * spacing * spacing
    inverse = 1 / spacing
    tile, left, top = -1, 0, 0
    for k in range(begin, end):
        # Sites near each other lie in one square: where it begins is worked out when it changes.
        n = int(sites[k])
        if n >> TILE_BITS != tile:
            tile = n >> TILE_BITS
            left, top = (tile % across) * SIDE, (tile // across) * SIDE
        c, r = left + (n & (SIDE - 1)), top + ((n >> 8) & (SIDE - 1))
        x, y = (c + shift) * along_x, (r + shift) * along_y
        height, along, down = lie_at(heights, x, y)
        at[k, 0], at[k, 1], at[k, 2] = x * spacing - half_x, height, y * spacing - half_z
        nx, nz = -along * inverse, -down * inverse
        length = np.sqrt(nx * nx + nz * nz + 1)
        scale = 1 / length
        towards[k, 0], towards[k, 1], towards[k, 2] = nx * scale, scale, nz * scale
        share = 1.0
        if shift == 0:
            share = (0.5 if c in (0, cols - 1) else 1.0) * (0.5 if r in (0, rows - 1) else 1.0)
        areas[k] = cell * share * length


# So many sites a piece; a dab of fewer is worked out by one thread.
PIECE = 8192


@numba.njit(cache=True, nogil=True, parallel=True)
def _place_all(
    heights: F32, spacing: float, rows: int, cols: int, shift: float, across: int, sites: U32,
    at: F32, towards: F32, areas: F32,
) -> None:  # fmt: skip
    count = sites.shape[0]
    for piece in numba.prange((count + PIECE - 1) // PIECE):
        begin, end = piece * PIECE, min((piece + 1) * PIECE, count)
        _place_some(
            heights, spacing, rows, cols, shift, across, sites, at, towards, areas, begin, end
        )  # fmt: skip


def place_sites(
    heights: F32, spacing: float, rows: int, cols: int, shift: float, across: int, sites: U32
) -> tuple[F32, F32, F32]:
    """Positions (k, 3), unit normals (k, 3) and areas (k,) in m² of sites; at the edge a corner has half its cell."""
    count = sites.shape[0]
    at, towards = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    areas = np.empty(count, np.float32)
    given = (heights, spacing, rows, cols, shift, across, sites, at, towards, areas)
    if count > 2 * PIECE:
        _place_all(*given)
    else:
        _place_some(*given, 0, count)
    return at, towards, areas


@numba.njit(cache=True, inline="always", error_model="numpy")
def _first(from_: float, half: float, width: float, count: int, shift: float) -> float:
    """Number, with fraction, of the site at a place in metres from the middle."""
    return (from_ + half) / width * (count - 1 + 2 * shift) - shift


@numba.njit(cache=True, nogil=True, error_model="numpy")
def sites_within(
    heights: F32, spacing: float, rows: int, cols: int, shift: float, across: int, centre: F32, radius: float,
    ids: I32,
) -> int:  # fmt: skip
    """Write sites in reach; how many there are, of which only as many are written as there is room for."""
    tall, wide = heights.shape
    width, depth = (wide - 1) * spacing, (tall - 1) * spacing
    x, y, z = float(centre[0]), float(centre[1]), float(centre[2])
    c0 = max(0, int(np.ceil(_first(x - radius, width / 2, width, cols, shift) - 1e-6)))
    c1 = min(cols - 1, int(np.floor(_first(x + radius, width / 2, width, cols, shift) + 1e-6)))
    r0 = max(0, int(np.ceil(_first(z - radius, depth / 2, depth, rows, shift) - 1e-6)))
    r1 = min(rows - 1, int(np.floor(_first(z + radius, depth / 2, depth, rows, shift) + 1e-6)))
    square = radius * radius
    along_x, along_y = corners_a_site(cols, shift, wide), corners_a_site(rows, shift, tall)
    count = 0
    for r in range(r0, r1 + 1):
        py = (r + shift) * along_y
        dz = np.float32(py * spacing - depth / 2) - z
        for c in range(c0, c1 + 1):
            px = (c + shift) * along_x
            dx = np.float32(px * spacing - width / 2) - x
            flat = dx * dx + dz * dz
            if flat > square:
                continue
            dy = np.float32(height_at(heights, px, py)) - y
            if flat + dy * dy <= square:
                if count < ids.shape[0]:
                    ids[count] = number_at(c, r, across)
                count += 1
    return count


@numba.njit(cache=True, nogil=True)
def fans_on_grid(ids: U32, rows: int, cols: int, across: int) -> tuple[I32, U32]:
    """CSR starts (k + 1,) and fans (n, 2): the other corners, as numbers, of each triangle at sites."""
    starts = np.zeros(ids.shape[0] + 1, np.int32)
    out = np.empty((6 * ids.shape[0], 2), np.uint32)
    n = 0
    for k in range(ids.shape[0]):
        p = int(ids[k])
        column, row = p & (SIDE - 1), (p >> 8) & (SIDE - 1)
        c, r = place_of(p, across)
        if 0 < column < SIDE - 1 and 0 < row < SIDE - 1 and c < cols - 1 and r < rows - 1:
            # Well inside a square, as most are, steps are the same in numbers.
            for t in range(6):
                out[n, 0] = p + AROUND[t, 0, 0] + SIDE * AROUND[t, 0, 1]
                out[n, 1] = p + AROUND[t, 1, 0] + SIDE * AROUND[t, 1, 1]
                n += 1
        else:
            for t in range(6):
                c0, r0 = c + AROUND[t, 0, 0], r + AROUND[t, 0, 1]
                c1, r1 = c + AROUND[t, 1, 0], r + AROUND[t, 1, 1]
                if min(c0, c1) >= 0 and min(r0, r1) >= 0 and max(c0, c1) < cols and max(r0, r1) < rows:
                    out[n, 0] = number_at(c0, r0, across)
                    out[n, 1] = number_at(c1, r1, across)
                    n += 1
        starts[k + 1] = n
    return starts, out[:n]


@numba.njit(cache=True, nogil=True)
def inner_fans_on_grid(ids: U32, rows: int, cols: int, across: int, row_of: U32) -> tuple[I32, U32]:
    """The same by rows among those sites, −1 for others; row_of: as `rows` of `number_by_row`.

    Well inside a square, six neighbours are looked up where two passes wrote, read and replaced twelve.
    """
    for k in range(ids.shape[0]):
        row_of[ids[k]] = k + 1
    starts = np.zeros(ids.shape[0] + 1, np.int32)
    out = np.empty((6 * ids.shape[0], 2), np.uint32)
    n = 0
    for k in range(ids.shape[0]):
        p = int(ids[k])
        column, row = p & (SIDE - 1), (p >> 8) & (SIDE - 1)
        c, r = place_of(p, across)
        if 0 < column < SIDE - 1 and 0 < row < SIDE - 1 and c < cols - 1 and r < rows - 1:
            six_fans(row_of, p, out, n)
            n += 6
        else:
            for t in range(6):
                c0, r0 = c + AROUND[t, 0, 0], r + AROUND[t, 0, 1]
                c1, r1 = c + AROUND[t, 1, 0], r + AROUND[t, 1, 1]
                if min(c0, c1) >= 0 and min(r0, r1) >= 0 and max(c0, c1) < cols and max(r0, r1) < rows:
                    out[n, 0] = row_of[number_at(c0, r0, across)] - ONE
                    out[n, 1] = row_of[number_at(c1, r1, across)] - ONE
                    n += 1
        starts[k + 1] = n
    for k in range(ids.shape[0]):
        row_of[ids[k]] = 0
    return starts, out[:n]
