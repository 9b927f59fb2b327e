"""Which points a dab reaches, and how far each is from its centre.

Ball: straight distance. Skin: distance along the surface from the hit, by fast marching
(Kimmel and Sethian 1998, PNAS 95) with a virtual source unfolded into each triangle's plane
(Novotni and Klein 2002, WSCG): on flat parts up to 0.2 % of the radius long with even triangles,
1.5 % with irregular ones, because a way may then cross one whose corners are not yet known.

Tried for skin: a flood over edges limited to the ball (leaks round a rim that lies inside
the ball, and its distances are straight ones); Dijkstra over edges (41 % long across the
diagonals of a regular grid).
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.sites.grid import gather_within
from ashblend.core.sites.protocol import Sites


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _keep_facing(normals: F32, found: I32, distance: F32, count: int, normal: F32, least: float) -> int:
    kept = 0
    for k in range(count):
        i = found[k]
        dot = normals[i, 0] * normal[0] + normals[i, 1] * normal[1] + normals[i, 2] * normal[2]
        if dot >= least:
            found[kept] = i
            distance[kept] = distance[k]
            kept += 1
    return kept


@numba.njit(cache=True, inline="always")
def _gap(positions: F32, i: int, j: int) -> float:
    dx = float(positions[i, 0]) - float(positions[j, 0])
    dy = float(positions[i, 1]) - float(positions[j, 1])
    dz = float(positions[i, 2]) - float(positions[j, 2])
    return np.sqrt(dx * dx + dy * dy + dz * dz)


@numba.njit(cache=True, nogil=True, error_model="numpy")
def unfolded_distance(ta: float, tb: float, ab: float, ac: float, bc: float) -> float:
    """Distance at C of a triangle from those at A and B, if the straight way crosses AB.

    ta, tb: distances at A and B. ab, ac, bc: edge lengths. The source is unfolded to the other
    side of AB; where its line to C misses AB, the way goes through the nearer corner.
    """
    around = min(ta + ac, tb + bc)
    if ab <= 0:
        return around
    sx = (ta * ta - tb * tb + ab * ab) / (2 * ab)
    below = ta * ta - sx * sx
    cx = (ac * ac - bc * bc + ab * ab) / (2 * ab)
    above = ac * ac - cx * cx
    if below < 0 or above <= 0:
        return around
    sy = np.sqrt(below)
    cy = np.sqrt(above)
    crossing = sx + (cx - sx) * sy / (sy + cy)
    if crossing < 0 or crossing > ab:
        return around
    return np.sqrt((cx - sx) ** 2 + (cy + sy) ** 2)


@numba.njit(cache=True, nogil=True, error_model="numpy")
def front_distance(ta: float, tb: float, ab: float, ac: float, bc: float) -> float:
    """The same for a straight front that passes A at ta and B at tb, as one from a whole border does.

    Kimmel and Sethian (1998), section 4: right for fronts, where a source behind AB would be
    taken for nearer than it is.
    """
    around = min(ta + ac, tb + bc)
    if ab <= 0:
        return around
    along = (tb - ta) / ab
    cx = (ac * ac - bc * bc + ab * ab) / (2 * ab)
    above = ac * ac - cx * cx
    if abs(along) >= 1 or above <= 0:
        return around
    across = np.sqrt(1 - along * along)
    origin = cx - np.sqrt(above) * along / across
    if origin < 0 or origin > ab:
        return around
    return min(around, ta + along * cx + across * np.sqrt(above))


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _sift_up(keys: F64, items: I32, place: I32, at: int, key: float, item: int) -> None:
    while at > 0:
        parent = (at - 1) >> 1
        if keys[parent] <= key:
            break
        keys[at] = keys[parent]
        items[at] = items[parent]
        place[items[at]] = at
        at = parent
    keys[at] = key
    items[at] = item
    place[item] = at


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _sift_down(keys: F64, items: I32, place: I32, size: int, key: float, item: int) -> None:
    at = 0
    while True:
        child = 2 * at + 1
        if child >= size:
            break
        if child + 1 < size and keys[child + 1] < keys[child]:
            child += 1
        if keys[child] >= key:
            break
        keys[at] = keys[child]
        items[at] = items[child]
        place[items[at]] = at
        at = child
    keys[at] = key
    items[at] = item
    place[item] = at


UNMET = -1
FINAL = -2


@numba.njit(cache=True, nogil=True, error_model="numpy")
def march(
    positions: F32,
    offsets: I32,
    fans: I32,
    seeds: I32,
    seed_distances: F64,
    radius: float,
    fronts: bool,
    reached: F64,
    place: I32,
    keys: F64,
    items: I32,
    found: I32,
    distance: F32,
) -> int:
    """Fast marching from the seeds up to radius; returns how many points were found.

    fronts: the seeds are many and make a border, so that straight fronts leave them.

    reached (points,) must be all infinite and place (points,) all UNMET; both are left so
    again, which keeps the cost to the points met and not the mesh. keys, items, found,
    distance: room for every point. The heap knows each point's place in it, so a nearer
    distance moves the point up; pushing it a second time instead cost three times as much.
    """
    size = 0
    for k in range(seeds.shape[0]):
        s = seeds[k]
        if seed_distances[k] < reached[s]:
            at = place[s]
            if at == UNMET:
                at = size
                size += 1
            reached[s] = seed_distances[k]
            _sift_up(keys, items, place, at, seed_distances[k], s)
    count = 0
    while size > 0:
        here = keys[0]
        if here > radius:
            break
        p = items[0]
        size -= 1
        if size > 0:
            _sift_down(keys, items, place, size, keys[size], items[size])
        place[p] = FINAL
        found[count] = p
        distance[count] = here
        count += 1
        for k in range(offsets[p], offsets[p + 1]):
            a = fans[k, 0]
            b = fans[k, 1]
            # One corner may be known: the way to the other then crosses the triangle. With neither
            # known, a way along the edge is a first guess; an inner edge is met in two fans, so
            # only its first corner takes it, unless nothing has come to the second one yet.
            if place[a] == FINAL:
                if place[b] == FINAL or a == p:
                    continue
                c = b
                pc = _gap(positions, p, b)
                pa, ac = _gap(positions, p, a), _gap(positions, a, b)
                if fronts:
                    new = front_distance(here, reached[a], pa, pc, ac)
                else:
                    new = unfolded_distance(here, reached[a], pa, pc, ac)
            elif place[b] == FINAL:
                if b == p:
                    continue
                c = a
                pc = _gap(positions, p, a)
                pb, bc = _gap(positions, p, b), _gap(positions, a, b)
                if fronts:
                    new = front_distance(here, reached[b], pb, pc, bc)
                else:
                    new = unfolded_distance(here, reached[b], pb, pc, bc)
            else:
                c = a
                new = here + _gap(positions, p, a)
                if place[b] == UNMET:
                    reached[b] = here + _gap(positions, p, b)
                    _sift_up(keys, items, place, size, reached[b], b)
                    size += 1
            if new < reached[c]:
                at = place[c]
                if at == UNMET:
                    at = size
                    size += 1
                reached[c] = new
                _sift_up(keys, items, place, at, new, c)
    for k in range(count):
        reached[found[k]] = np.inf
        place[found[k]] = UNMET
    for k in range(size):
        reached[items[k]] = np.inf
        place[items[k]] = UNMET
    return count


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _seed_ring(
    positions: F32,
    normals: F32,
    offsets: I32,
    fans: I32,
    found: I32,
    distance: F32,
    count: int,
    centre: F32,
    normal: F32,
) -> tuple[I32, F64]:
    """The point nearest the centre on the side the brush faces, and the corners around it.

    Between neighbours the surface is nearly flat, so their straight distances are the ways
    along it. Points that face away are passed over: on a thin wall the nearest point may well
    lie on the far side.
    """
    best = -1
    best_distance = np.inf
    for k in range(count):
        i = found[k]
        dot = normals[i, 0] * normal[0] + normals[i, 1] * normal[1] + normals[i, 2] * normal[2]
        if dot > 0 and distance[k] < best_distance:
            best = i
            best_distance = distance[k]
    if best < 0:
        return np.empty(0, np.int32), np.empty(0, np.float64)
    first = offsets[best]
    last = offsets[best + 1]
    seeds = np.empty(2 * (last - first) + 1, np.int32)
    distances = np.empty(seeds.shape[0], np.float64)
    n = 0
    for k in range(first, last):
        seeds[n] = fans[k, 0]
        seeds[n + 1] = fans[k, 1]
        n += 2
    seeds[n] = best
    n += 1
    for k in range(n):
        d = 0.0
        for axis in range(3):
            d += (float(positions[seeds[k], axis]) - float(centre[axis])) ** 2
        distances[k] = np.sqrt(d)
    return seeds[:n], distances[:n]


class Reach:
    """Ball reach over a surface, with room kept for its answers."""

    def __init__(self, sites: Sites) -> None:
        self._sites = sites
        points = sites.point_positions.shape[0]
        self._found: I32 = np.empty(points, np.int32)
        self._distance: F32 = np.empty(points, np.float32)

    def _ball(self, centre: F32, radius: float, cell_radius: float) -> int:
        grid = self._sites.grid(cell_radius)
        return gather_within(
            self._sites.point_positions,
            grid.offsets,
            grid.points,
            grid.cell,
            centre,
            radius,
            self._found,
            self._distance,
        )

    def _gather(self, centre: F32, normal: F32, radius: float) -> int:
        return self._ball(centre, radius, radius)

    def around(self, centre: F64, normal: F64, radius: float, facing_limit: float) -> tuple[I32, F32]:
        """Points within radius (metres) of centre (3,) and their distances, as views.

        normal: (3,) unit, the brush's. facing_limit: degrees; 180 takes every point.
        The views hold until the next call.
        """
        c = centre.astype(np.float32)
        n = normal.astype(np.float32)
        count = self._gather(c, n, radius)
        if facing_limit < 180:
            least = float(np.cos(np.radians(facing_limit)))
            count = _keep_facing(self._sites.point_normals, self._found, self._distance, count, n, least)
        return self._found[:count], self._distance[:count]


class Skin(Reach):
    """Reach along the surface only."""

    def __init__(self, sites: Sites) -> None:
        super().__init__(sites)
        points = sites.point_positions.shape[0]
        self._reached: F64 = np.full(points, np.inf)
        self._place: I32 = np.full(points, UNMET, np.int32)
        self._keys: F64 = np.empty(points, np.float64)
        self._items: I32 = np.empty(points, np.int32)

    def _gather(self, centre: F32, normal: F32, radius: float) -> int:
        sites = self._sites
        offsets, fans = sites.fans
        seeds, distances = np.empty(0, np.int32), np.empty(0, np.float64)
        # The nearest point is nearly always close by; the whole ball is searched only on coarse meshes.
        for near in (radius / 8, radius):
            seeds, distances = _seed_ring(
                sites.point_positions,
                sites.point_normals,
                offsets,
                fans,
                self._found,
                self._distance,
                self._ball(centre, near, radius),
                centre,
                normal,
            )
            if seeds.size:
                break
        return march(
            sites.point_positions,
            offsets,
            fans,
            seeds,
            distances,
            radius,
            False,
            self._reached,
            self._place,
            self._keys,
            self._items,
            self._found,
            self._distance,
        )


def distances_from(sites: Sites, points: I32, farthest: float) -> F64:
    """Distance (points,) along the surface from the nearest of some points, up to farthest metres.

    What lies farther, or is not connected, is infinite.
    """
    count = sites.point_positions.shape[0]
    offsets, fans = sites.fans
    found, distance = np.empty(count, np.int32), np.empty(count, np.float32)
    met = march(
        sites.point_positions,
        offsets,
        fans,
        points.astype(np.int32),
        np.zeros(points.shape[0]),
        farthest,
        True,
        np.full(count, np.inf),
        np.full(count, UNMET, np.int32),
        np.empty(count, np.float64),
        np.empty(count, np.int32),
        found,
        distance,
    )
    out = np.full(count, np.inf)
    out[found[:met]] = distance[:met]
    return out
