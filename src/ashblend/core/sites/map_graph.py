"""Who is next to whom on a map: texels of one chart as small triangles, and links over its seams."""

import numba
import numpy as np

from ashblend.core.arrays import F32, I32, U32, Mask
from ashblend.core.sites.layout import SIDE
from ashblend.core.sites.map_raster import number_at, place_of
from ashblend.core.sites.patch import ONE


@numba.njit(cache=True, inline="always")
def _corner(owner: I32, x: int, y: int, size: int, across: int) -> int:
    """Number of a texel that a triangle shows at, −1 for others."""
    if 0 <= x < size and 0 <= y < size:
        number = number_at(x, y, across)
        if owner[number] > 0:
            return number
    return -1


@numba.njit(cache=True, inline="always")
def _alike(owner: I32, chart: I32, a: int, b: int) -> bool:
    return a >= 0 and b >= 0 and chart[owner[a] - 1] == chart[owner[b] - 1]


@numba.njit(cache=True, inline="always")
def _if_corner(p: int, a: int, b: int, c: int, out: I32, n: int) -> int:
    """The other two corners of triangle a b c as seen from p, where p is one of them."""
    if p == a:
        out[n, 0], out[n, 1] = b, c
    elif p == b:
        out[n, 0], out[n, 1] = c, a
    elif p == c:
        out[n, 0], out[n, 1] = a, b
    else:
        return n
    return n + 1


@numba.njit(cache=True, inline="always")
def _well_inside(p: int, owner: I32, chart: I32) -> bool:
    """Inside a square and a chart, as most are: the six triangles around are then always the same."""
    column, row = p & (SIDE - 1), (p >> 8) & (SIDE - 1)
    inner = 0 < column < SIDE - 1 and 0 < row < SIDE - 1
    if inner:
        own = owner[p]
        mine = chart[own - 1]
        for q in (p - 1, p + 1, p - SIDE, p + SIDE, p - SIDE + 1, p + SIDE - 1, p - SIDE - 1, p + SIDE + 1):
            other = owner[q]
            if other != own and (other == 0 or chart[other - 1] != mine):
                inner = False
                break
    return inner


@numba.njit(cache=True, inline="always")
def six_fans(row_of: U32, p: int, out: U32, n: int) -> None:
    """The six triangles around a texel well inside a square, by rows, at out[n] to out[n + 5]; see `inner_fans_of`."""
    up, down, left, right = (
        row_of[p - SIDE] - ONE,
        row_of[p + SIDE] - ONE,
        row_of[p - 1] - ONE,
        row_of[p + 1] - ONE,
    )
    right_up, left_down = row_of[p - SIDE + 1] - ONE, row_of[p + SIDE - 1] - ONE
    out[n, 0], out[n, 1] = up, left
    out[n + 1, 0], out[n + 1, 1] = right_up, up
    out[n + 2, 0], out[n + 2, 1] = right, right_up
    out[n + 3, 0], out[n + 3, 1] = left, left_down
    out[n + 4, 0], out[n + 4, 1] = left_down, down
    out[n + 5, 0], out[n + 5, 1] = down, right


@numba.njit(cache=True, nogil=True)
def _fans_of(p: int, owner: I32, chart: I32, size: int, from_: I32, to: I32, out: I32) -> int:
    """Pairs of other corners around texel p, as numbers; how many. out: (MOST_FANS, 2)."""
    across = size // SIDE
    x, y = place_of(p, across)
    n = 0
    if _well_inside(p, owner, chart):
        out[0, 0], out[0, 1] = p - SIDE, p - 1
        out[1, 0], out[1, 1] = p - SIDE + 1, p - SIDE
        out[2, 0], out[2, 1] = p + 1, p - SIDE + 1
        out[3, 0], out[3, 1] = p - 1, p + SIDE - 1
        out[4, 0], out[4, 1] = p + SIDE - 1, p + SIDE
        out[5, 0], out[5, 1] = p + SIDE, p + 1
        return 6
    whole = True
    for cy in range(y - 1, y + 1):
        for cx in range(x - 1, x + 1):
            a, b = _corner(owner, cx, cy, size, across), _corner(owner, cx + 1, cy, size, across)
            c, d = _corner(owner, cx, cy + 1, size, across), _corner(owner, cx + 1, cy + 1, size, across)
            ab, ac = _alike(owner, chart, a, b), _alike(owner, chart, a, c)
            bd, cd = _alike(owner, chart, b, d), _alike(owner, chart, c, d)
            whole = whole and ab and ac and bd and cd
            if ab and ac:
                n = _if_corner(p, a, c, b, out, n)
            elif bd and ab:
                n = _if_corner(p, a, d, b, out, n)
            if bd and cd:
                n = _if_corner(p, b, c, d, out, n)
            elif ac and cd:
                n = _if_corner(p, a, c, d, out, n)
            # A row one texel wide has no triangle: it is linked.
            if ab and not ac and not bd and (p in (a, b)):
                out[n, 0] = out[n, 1] = b if p == a else a
                n += 1
            if ac and not ab and not cd and (p in (a, c)):
                out[n, 0] = out[n, 1] = c if p == a else a
                n += 1
    if not whole:
        k = np.searchsorted(from_, p)
        while k < from_.shape[0] and from_[k] == p and n < out.shape[0]:
            out[n, 0] = out[n, 1] = to[k]
            n += 1
            k += 1
    return n


MOST_FANS = 40


@numba.njit(cache=True, nogil=True)
def fans_of(ids: U32, owner: I32, chart: I32, size: int, from_: I32, to: I32) -> tuple[I32, U32]:
    """CSR of the fans of texels, by numbers of texels; see `Graph`."""
    starts = np.empty(ids.shape[0] + 1, np.int32)
    starts[0] = 0
    # Six corners of triangles or so many links of a thin row, and those over seams. (Arrays that grow in the
    # loop cost a dab twice the time: numba counts references at every turn.)
    out = np.empty((8 * ids.shape[0] + from_.shape[0] + MOST_FANS, 2), np.int32)
    n = 0
    for k in range(ids.shape[0]):
        n += _fans_of(ids[k], owner, chart, size, from_, to, out[n : n + MOST_FANS])
        starts[k + 1] = n
    return starts, out[:n].copy().view(np.uint32)


@numba.njit(cache=True, nogil=True)
def inner_fans_of(
    ids: U32, owner: I32, chart: I32, size: int, from_: I32, to: I32, row_of: U32
) -> tuple[I32, U32]:
    """The same by rows among those texels, −1 for others; row_of: as `rows` of `number_by_row`."""
    for k in range(ids.shape[0]):
        row_of[ids[k]] = k + 1
    starts = np.empty(ids.shape[0] + 1, np.int32)
    starts[0] = 0
    out = np.empty((8 * ids.shape[0] + from_.shape[0] + MOST_FANS, 2), np.uint32)
    some = np.empty((MOST_FANS, 2), np.int32)
    n = 0
    for k in range(ids.shape[0]):
        p = int(ids[k])
        if _well_inside(p, owner, chart):
            six_fans(row_of, p, out, n)
            n += 6
        else:
            count = _fans_of(p, owner, chart, size, from_, to, some)
            for j in range(count):
                out[n, 0], out[n, 1] = row_of[some[j, 0]] - ONE, row_of[some[j, 1]] - ONE
                n += 1
        starts[k + 1] = n
    for k in range(ids.shape[0]):
        row_of[ids[k]] = 0
    return starts, out[:n]


@numba.njit(cache=True, inline="always")
def _near(size: int, owner: I32, chart: I32, u: float, v: float, wanted: int) -> int:
    """The texel of a chart whose centre is nearest to a place of the map, within two texels."""
    across = size // SIDE
    best = -1
    least = 8.0
    x, y = u * size - 0.5, v * size - 0.5
    for ty in range(int(np.rint(y)) - 2, int(np.rint(y)) + 3):
        for tx in range(int(np.rint(x)) - 2, int(np.rint(x)) + 3):
            s = _corner(owner, tx, ty, size, across)
            if s >= 0 and chart[owner[s] - 1] == wanted:
                d = (tx - x) ** 2 + (ty - y) ** 2
                if d < least:
                    least = d
                    best = s
    return best


@numba.njit(cache=True, nogil=True)
def seam_links(uv: F32, triangles: I32, places: I32, seams: I32, chart: I32, size: int, owner: I32) -> I32:
    """Pairs (k, 2) of texels over seams, both ways. seams: (s, 4) face, corner, face, corner."""
    capacity = 0
    for k in range(seams.shape[0]):
        a, b = triangles[seams[k, 0], seams[k, 1]], triangles[seams[k, 0], (seams[k, 1] + 1) % 3]
        length = np.sqrt((uv[a, 0] - uv[b, 0]) ** 2 + (uv[a, 1] - uv[b, 1]) ** 2) * size
        capacity += 2 * (int(min(2 * length, 4.0 * size)) + 2)
    out = np.empty((capacity, 2), np.int32)
    n = 0
    for k in range(seams.shape[0]):
        t, i, s, j = seams[k, 0], seams[k, 1], seams[k, 2], seams[k, 3]
        a, b = triangles[t, i], triangles[t, (i + 1) % 3]
        c, d = triangles[s, j], triangles[s, (j + 1) % 3]
        if places[a] != places[c]:
            c, d = d, c
        length = np.sqrt((uv[a, 0] - uv[b, 0]) ** 2 + (uv[a, 1] - uv[b, 1]) ** 2) * size
        steps = int(min(2 * length, 4.0 * size)) + 1
        last_here = last_there = -1
        for step in range(steps + 1):
            f = step / steps
            here = _near(
                size, owner, chart,
                uv[a, 0] + f * (uv[b, 0] - uv[a, 0]), uv[a, 1] + f * (uv[b, 1] - uv[a, 1]), chart[t],
            )  # fmt: skip
            there = _near(
                size, owner, chart,
                uv[c, 0] + f * (uv[d, 0] - uv[c, 0]), uv[c, 1] + f * (uv[d, 1] - uv[c, 1]), chart[s],
            )  # fmt: skip
            if here < 0 or there < 0 or here == there or (here == last_here and there == last_there):
                continue
            last_here, last_there = here, there
            out[n, 0], out[n, 1] = here, there
            out[n + 1, 0], out[n + 1, 1] = there, here
            n += 2
    return out[:n].copy()


@numba.njit(cache=True, nogil=True)
def border_texels(owner: I32, chart: I32, size: int, faces: Mask, from_: I32, to: I32, out: Mask) -> None:
    """Mark texels that have a neighbour on the other side of chosen triangles' border. out: (size²,)."""
    across = size // SIDE
    for number in range(size * size):
        if owner[number] == 0:
            continue
        x, y = place_of(number, across)
        here = faces[owner[number] - 1]
        for step in range(2):
            q = _corner(owner, x + 1 - step, y + step, size, across)
            if _alike(owner, chart, number, q) and faces[owner[q] - 1] != here:
                out[number] = out[q] = True
    for k in range(from_.shape[0]):
        if faces[owner[from_[k]] - 1] != faces[owner[to[k]] - 1]:
            out[from_[k]] = out[to[k]] = True
