"""Sites of a terrain by column and row: where they lie, which a ball reaches, who is next to whom."""

import numba
import numpy as np

from ashblend.core.arrays import F32, I32, U32
from ashblend.core.sites.layout import SIDE
from ashblend.core.sites.map_raster import number_at, place_of
from ashblend.core.terrain.lie import gradient_at, height_at

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


@numba.njit(cache=True, inline="always")
def corner_of(at: int, count: int, shift: float, corners: int) -> float:
    """Where the site in a column (or row) lies among corners. count: of sites. shift: 0.5 for cells, 0 for corners."""
    return (at + shift) / (count - 1 + 2 * shift) * (corners - 1)


@numba.njit(cache=True, nogil=True)
def place_sites(
    heights: F32, spacing: float, rows: int, cols: int, shift: float, across: int, sites: U32
) -> tuple[F32, F32, F32]:
    """Positions (k, 3), unit normals (k, 3) and areas (k,) in m² of sites; at the edge a corner has half its cell."""
    count = sites.shape[0]
    tall, wide = heights.shape
    at, towards = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    areas = np.empty(count, np.float32)
    half_x, half_z = (wide - 1) * spacing / 2, (tall - 1) * spacing / 2
    cell = (2 * half_x / (cols - 1 + 2 * shift)) * (2 * half_z / (rows - 1 + 2 * shift))
    for k in range(count):
        c, r = place_of(int(sites[k]), across)
        x, y = corner_of(c, cols, shift, wide), corner_of(r, rows, shift, tall)
        at[k, 0] = x * spacing - half_x
        at[k, 1] = height_at(heights, x, y)
        at[k, 2] = y * spacing - half_z
        along, down = gradient_at(heights, x, y)
        nx, nz = -along / spacing, -down / spacing
        length = np.sqrt(nx * nx + nz * nz + 1)
        towards[k, 0], towards[k, 1], towards[k, 2] = nx / length, 1 / length, nz / length
        share = 1.0
        if shift == 0:
            share = (0.5 if c in (0, cols - 1) else 1.0) * (0.5 if r in (0, rows - 1) else 1.0)
        areas[k] = cell * share * length
    return at, towards, areas


@numba.njit(cache=True, inline="always")
def _first(from_: float, half: float, width: float, count: int, shift: float) -> float:
    """Number, with fraction, of the site at a place in metres from the middle."""
    return (from_ + half) / width * (count - 1 + 2 * shift) - shift


@numba.njit(cache=True, nogil=True)
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
    count = 0
    for r in range(r0, r1 + 1):
        py = corner_of(r, rows, shift, tall)
        dz = np.float32(py * spacing - depth / 2) - z
        for c in range(c0, c1 + 1):
            px = corner_of(c, cols, shift, wide)
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
