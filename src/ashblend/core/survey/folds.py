"""By how much a surface turns at its edges, and within a length across them.

A bevel that is rounded by eight strips turns by little at each of nine edges and by as much as a sharp one in all. So what
turns is summed over a way straight across the surface (as Polthier and Schmies 1998, Visualization and Mathematics, walk
over triangles), as far as asked on both sides; of all stretches of that length that hold the edge the one counts in which
it turns most. An edge is part of such a bend where it turns itself half as fast as is asked on the mean: an even place beside a
sharp edge is none.

Tried: each edge for itself, as it was: a bevel of 1 to 3 strips was worn, of 4 and more nothing was.
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32

# Edges that turn by less are even; degrees.
EVEN = 0.01
# Triangles that a way may cross on either side, and folds on it.
MOST_CROSSED, MOST_FOLDS = 2048, 128


@numba.njit(cache=True, nogil=True)
def fold_between(corners: F32, triangles: U32, normals: F32, one: int, other: int) -> float:
    """Degrees that the surface folds by between two triangles at an edge, negative where it is concave; NaN without area."""
    between, rise, size_one, size_other = 0.0, 0.0, 0.0, 0.0
    for axis in range(3):
        a, b = float(normals[one, axis]), float(normals[other, axis])
        between += a * b
        size_one += a * a
        size_other += b * b
        way = 0.0
        for corner in range(3):
            way += float(corners[triangles[other, corner], axis]) - corners[triangles[one, corner], axis]
        rise += way * a
    # A triangle without area has no normal to fold by.
    if size_one == 0 or size_other == 0:
        return np.nan
    fold = np.degrees(np.arccos(min(1.0, max(-1.0, between))))
    return -fold if rise > 0 else fold


@numba.njit(cache=True, nogil=True, parallel=True)
def folds(corners: F32, triangles: U32, normals: F32, of_face: I32, faces: I32, uses: I32) -> F64:
    """(edges,) degrees that the surface folds by, negative where it is concave; NaN where no two faces with area meet.

    Of more than two faces at an edge the sharpest pair.
    """
    out = np.full(faces.shape[0], np.nan)
    for e in numba.prange(faces.shape[0]):
        if uses[e] == 2:
            out[e] = fold_between(corners, triangles, normals, faces[e, 0], faces[e, 1])
    many = uses > 2
    if many.any():
        at = np.full(faces.shape[0], -1, np.int32)
        following = np.full(of_face.size, -1, np.int32)
        for h in range(of_face.size):
            e = of_face[h // 3, h % 3]
            if many[e]:
                following[h] = at[e]
                at[e] = h
        for crowded in np.flatnonzero(many):
            e, h = int(crowded), at[crowded]
            while h >= 0:
                k = following[h]
                while k >= 0:
                    fold = fold_between(corners, triangles, normals, h // 3, k // 3)
                    if np.isnan(out[e]) or abs(fold) > abs(out[e]):
                        out[e] = fold
                    k = following[k]
                h = following[h]
    return out


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _walk(
    corners: F32,
    triangles: U32,
    normals: F32,
    of_face: I32,
    faces: I32,
    uses: I32,
    fold: F64,
    edge: int,
    side: int,
    length: float,
    out_at: F64,
    out_turn: F64,
) -> int:
    """Go from an edge's middle straight over the triangle on one side and on: how far off folds lie and by what they turn it."""
    t, entered, found, gone = faces[edge, side], edge, 0, 0.0
    at, way = np.zeros(3), np.zeros(3)
    for i in range(3):
        if of_face[t, i] == edge:
            a, b = triangles[t, i], triangles[t, (i + 1) % 3]
            for axis in range(3):
                at[axis] = (float(corners[a, axis]) + corners[b, axis]) / 2
            ex, ey, ez = (
                float(corners[b, 0]) - corners[a, 0],
                float(corners[b, 1]) - corners[a, 1],
                float(corners[b, 2]) - corners[a, 2],
            )
            # Corners run counterclockwise: inward is the normal across the edge.
            way[0] = normals[t, 1] * ez - normals[t, 2] * ey
            way[1] = normals[t, 2] * ex - normals[t, 0] * ez
            way[2] = normals[t, 0] * ey - normals[t, 1] * ex
    size = np.sqrt((way * way).sum())
    if size == 0:
        return 0
    way /= size
    for _ in range(MOST_CROSSED):
        # Out over the edge that the way meets first.
        best, through = np.inf, -1
        for i in range(3):
            if of_face[t, i] == entered:
                continue
            a, b = triangles[t, i], triangles[t, (i + 1) % 3]
            ex, ey, ez = (
                float(corners[b, 0]) - corners[a, 0],
                float(corners[b, 1]) - corners[a, 1],
                float(corners[b, 2]) - corners[a, 2],
            )
            ox = ey * normals[t, 2] - ez * normals[t, 1]
            oy = ez * normals[t, 0] - ex * normals[t, 2]
            oz = ex * normals[t, 1] - ey * normals[t, 0]
            toward = ox * way[0] + oy * way[1] + oz * way[2]
            if toward > 0:
                far = (
                    ox * (corners[a, 0] - at[0]) + oy * (corners[a, 1] - at[1]) + oz * (corners[a, 2] - at[2])
                ) / toward
                if far < best:
                    best, through = max(far, 0.0), i
        if through < 0 or gone + best > length:
            break
        e = of_face[t, through]
        gone += best
        if uses[e] != 2 or np.isnan(fold[e]):
            break
        a, b = triangles[t, through], triangles[t, (through + 1) % 3]
        edge_long, along = 0.0, 0.0
        for axis in range(3):
            at[axis] += best * way[axis]
            step = float(corners[b, axis]) - corners[a, axis]
            edge_long += step * step
            along += step * way[axis]
        edge_long = np.sqrt(edge_long)
        if edge_long == 0:
            break
        along = min(1.0, max(-1.0, along / edge_long))
        across = np.sqrt(1 - along * along)
        if abs(fold[e]) >= EVEN and found < MOST_FOLDS:
            out_at[found], out_turn[found] = gone, fold[e] * across
            found += 1
        t = faces[e, 1] if faces[e, 0] == t else faces[e, 0]
        entered = e
        # The same way as seen from the edge, in the plane of the next triangle.
        ex, ey, ez = 0.0, 0.0, 0.0
        for axis in range(3):
            step = (float(corners[b, axis]) - corners[a, axis]) / edge_long
            if axis == 0:
                ex = step
            elif axis == 1:
                ey = step
            else:
                ez = step
        ix = ey * normals[t, 2] - ez * normals[t, 1]
        iy = ez * normals[t, 0] - ex * normals[t, 2]
        iz = ex * normals[t, 1] - ey * normals[t, 0]
        way[0], way[1], way[2] = along * ex + across * ix, along * ey + across * iy, along * ez + across * iz
    return found


@numba.njit(cache=True, nogil=True)
def _most_within(at: F64, turn: F64, count: int, mine: int, length: float, sign: float) -> float:
    """The largest sum of turns, in a sign, of a stretch of folds no longer than a length that holds fold `mine`."""
    best = sign * turn[mine]
    for first in range(mine, -1, -1):
        if at[mine] - at[first] > length:
            break
        total = 0.0
        for last in range(first, count):
            if at[last] - at[first] > length:
                break
            total += sign * turn[last]
            if last >= mine:
                best = max(best, total)
    return best


@numba.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def bends_within(
    corners: F32,
    triangles: U32,
    normals: F32,
    of_face: I32,
    faces: I32,
    uses: I32,
    fold: F64,
    length: float,
    least: float,
) -> F64:
    """(edges,) the most, in degrees, that the surface turns within a length (metres) across each edge, as the edge folds.

    Negative where it is concave; 0 for an edge that turns less than half as fast as `least` degrees over the length, as far as
    its next fold lies.
    """
    out = np.zeros(fold.shape[0])
    for e in numba.prange(fold.shape[0]):
        own = fold[e]
        if np.isnan(own) or abs(own) < EVEN:
            continue
        if length <= 0 or uses[e] != 2:
            out[e] = own
            continue
        back_at, back_turn = np.empty(MOST_FOLDS), np.empty(MOST_FOLDS)
        on_at, on_turn = np.empty(MOST_FOLDS), np.empty(MOST_FOLDS)
        back = _walk(
            corners, triangles, normals, of_face, faces, uses, fold, e, 0, length, back_at, back_turn
        )
        on = _walk(corners, triangles, normals, of_face, faces, uses, fold, e, 1, length, on_at, on_turn)
        free = length
        if back > 0:
            free = min(free, back_at[0])
        if on > 0:
            free = min(free, on_at[0])
        if 2 * abs(own) * length < least * free:
            continue
        at, turn = np.empty(back + on + 1), np.empty(back + on + 1)
        for k in range(back):
            at[k], turn[k] = -back_at[back - 1 - k], back_turn[back - 1 - k]
        at[back], turn[back] = 0.0, own
        for k in range(on):
            at[back + 1 + k], turn[back + 1 + k] = on_at[k], on_turn[k]
        sign = 1.0 if own > 0 else -1.0
        out[e] = sign * _most_within(at, turn, back + on + 1, back, length, sign)
    return out
