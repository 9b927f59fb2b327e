"""Which triangle shows at each texel of a map, and which texels beside a chart show its rim.

Texels are numbered by squares (see `layout`).
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, I32, I64, U32
from ashblend.core.sites.layout import SIDE, TILE


@numba.njit(cache=True, inline="always")
def number_at(x: int, y: int, across: int) -> int:
    """Number of the texel in column x, row y."""
    return ((y // SIDE) * across + x // SIDE) * TILE + (y % SIDE) * SIDE + x % SIDE


@numba.njit(cache=True, inline="always")
def place_of(number: int, across: int) -> tuple[int, int]:
    """Column and row."""
    tile, inner = number // TILE, number % TILE
    return (tile % across) * SIDE + inner % SIDE, (tile // across) * SIDE + inner // SIDE


@numba.njit(cache=True, nogil=True, error_model="numpy")
def raster(uv: F32, triangles: I32, size: int, owner: I32, inside: I64, won: I64) -> None:
    """The first triangle over each texel's centre, plus one; 0 for none. v runs down, as glTF has it.

    owner: (size²,) zeros. inside, won: (m,) texels whose centre lies in each triangle, and those it got.
    """
    across = size // SIDE
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay = uv[a, 0] * size - 0.5, uv[a, 1] * size - 0.5
        bx, by = uv[b, 0] * size - 0.5, uv[b, 1] * size - 0.5
        cx, cy = uv[c, 0] * size - 0.5, uv[c, 1] * size - 0.5
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if area == 0:
            continue
        x0 = int(max(0.0, np.ceil(min(ax, bx, cx) - 1e-4)))
        x1 = int(min(size - 1.0, np.floor(max(ax, bx, cx) + 1e-4)))
        y0 = int(max(0.0, np.ceil(min(ay, by, cy) - 1e-4)))
        y1 = int(min(size - 1.0, np.floor(max(ay, by, cy) + 1e-4)))
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                u = ((bx - x) * (cy - y) - (cx - x) * (by - y)) / area
                v = ((cx - x) * (ay - y) - (ax - x) * (cy - y)) / area
                if u >= -1e-5 and v >= -1e-5 and u + v <= 1 + 1e-5:
                    inside[t] += 1
                    number = number_at(x, y, across)
                    if owner[number] == 0:
                        owner[number] = t + 1
                        won[t] += 1


@numba.njit(cache=True, inline="always")
def _source_beside(owner: I32, source: I32, x: int, y: int, size: int) -> int:
    """Whose value an empty texel takes from its filled neighbours, plus one; 0 for nobody's."""
    across = size // SIDE
    found = 0
    for dy in range(-1, 2):
        for dx in range(-1, 2):
            # Straight neighbours are nearer than diagonal ones: they win.
            if found > 0 and dx != 0 and dy != 0:
                continue
            nx, ny = x + dx, y + dy
            if 0 <= nx < size and 0 <= ny < size:
                number = number_at(nx, ny, across)
                if owner[number] > 0:
                    found = number + 1
                elif source[number] > 0:
                    found = source[number]
    return found


@numba.njit(cache=True, nogil=True)
def grow(owner: I32, source: I32, size: int, passes: int, capacity: int) -> U32:
    """Let empty texels take the value of a filled neighbour, `passes` texels far; those filled, in order.

    source: (size²,) zeros, holds whose value plus one. Stops at `room` texels: then it must be called
    again with more, and a fresh source.
    """
    across = size // SIDE
    out = np.empty(capacity, np.uint32)
    wanted = np.empty(capacity, np.int32)
    count = 0
    for number in range(size * size):
        if owner[number] > 0:
            continue
        x, y = place_of(number, across)
        found = _source_beside(owner, source, x, y, size)
        if found > 0:
            if count == capacity:
                return out
            out[count] = number
            wanted[count] = found
            count += 1
    for k in range(count):
        source[out[k]] = wanted[k]
    begin = 0
    for _ in range(1, passes):
        end = count
        for k in range(begin, end):
            x, y = place_of(int(out[k]), across)
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    nx, ny = x + dx, y + dy
                    if not (0 <= nx < size and 0 <= ny < size):
                        continue
                    number = number_at(nx, ny, across)
                    if owner[number] > 0 or source[number] != 0:
                        continue
                    if count == capacity:
                        return out
                    # Marked as met; what it shows is only decided once all of this pass are found.
                    source[number] = -1
                    out[count] = number
                    count += 1
        for k in range(end, count):
            x, y = place_of(int(out[k]), across)
            wanted[k] = _source_beside(owner, source, x, y, size)
        for k in range(end, count):
            source[out[k]] = wanted[k]
        begin = end
    return out[:count].copy()
