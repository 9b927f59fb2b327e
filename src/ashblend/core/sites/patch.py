"""What a surface answers about a part of itself. Everything in here is as large as that part."""

from dataclasses import dataclass

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32

# What counts into arrays is unsigned in kernels: for signed numbers numba looks at every access whether
# they count from the end, which took half the time of some.
ONE = np.uint32(1)


@dataclass(frozen=True)
class Points:
    """Some points with the sites that hold their values.

    ids: (k,) numbers that stay the same as long as the surface. offsets (k + 1,), sites: CSR from each
    to its sites. Sites of one point are painted as one, so a seam never shows.
    """

    ids: I32
    offsets: I32
    sites: U32


NOBODY = Points(np.empty(0, np.int32), np.zeros(1, np.int32), np.empty(0, np.uint32))


@numba.njit(cache=True, nogil=True)
def _picked(
    rows: U32, ids: I32, offsets: U32, sites: U32, positions: F32, normals: F32
) -> tuple[I32, I32, U32, F32, F32]:
    """Some points. (By fancy indexing of each array a dab took a third longer.)"""
    count = rows.shape[0]
    starts = np.empty(count + 1, np.int32)
    starts[0] = 0
    for k in range(count):
        starts[k + 1] = starts[k] + (offsets[rows[k] + ONE] - offsets[rows[k]])
    numbers, held = np.empty(count, np.int32), np.empty(starts[count], np.uint32)
    at, towards = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    for k in range(count):
        r = rows[k]
        numbers[k] = ids[r]
        for axis in range(3):
            at[k, axis] = positions[r, axis]
            towards[k, axis] = normals[r, axis]
        n = np.uint32(starts[k])
        for j in range(offsets[r], offsets[r + ONE]):
            held[n] = sites[j]
            n += ONE
    return numbers, starts, held, at, towards


@dataclass(frozen=True)
class Patch(Points):
    """Points in reach. positions, normals: (k, 3). distances: (k,) metres from the middle."""

    positions: F32
    normals: F32
    distances: F32

    def only(self, rows: I32, distances: F32 | None = None) -> "Patch":
        """Some of its points (rows of it), perhaps with other distances."""
        picked = _picked(
            rows.view(np.uint32), self.ids, self.offsets.view(np.uint32), self.sites, self.positions,
            self.normals,
        )  # fmt: skip
        return Patch(*picked, self.distances[rows] if distances is None else distances)


_NOWHERE: F32 = np.empty((0, 3), np.float32)
NO_PATCH = Patch(NOBODY.ids, NOBODY.offsets, NOBODY.sites, _NOWHERE, _NOWHERE, np.empty(0, np.float32))


@dataclass(frozen=True)
class Graph:
    """Who is next to whom among k points, and who just outside.

    offsets (k + 1,), fans (n, 2): for each point the other two corners of each triangle at it, as rows.
    Two equal corners link two points that share no triangle. Rows from k on are the rim: neighbours
    outside; −1 where those were not asked for. rim: their points. positions: (k + rim, 3).
    """

    offsets: I32
    fans: I32
    positions: F32
    rim: Points


@numba.njit(cache=True, nogil=True)
def number_by_row(ids: U32, fans: U32, rows: U32, rim: bool) -> U32:
    """Put rows of a patch in the place of points' numbers in fans (n, 2); the points of its rim.

    ids: the patch's points. rows: (points of the surface,) all zero, and left so; holds row + 1 meanwhile.
    Points outside get rows from k on when the rim is asked for, else −1. (Tried: a function for one number,
    called where fans are gathered. It counted references at every call, 45 ns each.)
    """
    count = np.uint32(ids.shape[0])
    for k in range(ids.shape[0]):
        rows[ids[k]] = k + 1
    outside = np.empty(2 * fans.shape[0] if rim else 0, np.uint32)
    beyond = np.uint32(0)
    for n in range(fans.shape[0]):
        for side in range(2):
            q = fans[n, side]
            row = rows[q]
            if row == 0 and rim:
                outside[beyond] = q
                beyond += ONE
                row = count + beyond
                rows[q] = row
            fans[n, side] = row - ONE
    for k in range(ids.shape[0]):
        rows[ids[k]] = 0
    for k in range(beyond):
        rows[outside[k]] = 0
    return outside[:beyond]


@dataclass(frozen=True)
class Window:
    """Some sites: (k,) numbers, positions and normals (k, 3), areas (k,) in m²."""

    sites: U32
    positions: F32
    normals: F32
    areas: F32


@dataclass(frozen=True)
class Places:
    """Places on a mesh: faces (k,), −1 for none, and shares (k, 3) of their corners."""

    faces: I32
    shares: F64


@dataclass(frozen=True)
class Sample:
    """How values at k places follow from sites: a mean of sites (k, m) by shares (k, m).

    Shares of a place sum to less than one where nothing is held near it.
    """

    sites: I32
    shares: F64
