"""Hard borders: vertices split so that one side can be full and the other empty.

Triangles carry a side. Where triangles of unlike sides meet, the vertices there are split, one
for each side; where sides become alike again, what was split off is joined again.
"""

from dataclasses import dataclass, replace

import numba
import numpy as np

from ashblend.core.arrays import I32, I64, U32, Mask
from ashblend.core.sites.lineage import Lineage, Mixed, Picked
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.moved_mesh import moved_mesh


@dataclass(frozen=True)
class Parted:
    """mesh: with the new sides. added: vertices more than before; negative when some were joined."""

    mesh: Mesh
    lineage: Lineage
    added: int


@numba.njit(cache=True)
def _targets(origin: I32, used: Mask, of_vertex: I64) -> I64:
    """(n,) the vertex that each is given back to, itself where it stays.

    Origins come before what was split from them, so one pass in order follows chains.
    """
    target = np.arange(origin.shape[0])
    for v in range(origin.shape[0]):
        if origin[v] < 0:
            continue
        o = target[origin[v]]
        if used[o] and of_vertex[o] != of_vertex[v]:
            continue
        target[v] = o
        of_vertex[o] = of_vertex[v]
        used[o] = True
    return target


def _means(target: I64, kept: Mask, number: I64) -> Mixed:
    """What stays takes the mean of itself and of all that come back to it, however many they are."""
    order = np.argsort(number[target], kind="stable")
    row = number[target][order]
    # Within its row, whatever stays comes first: origins have the lower numbers.
    column = np.arange(order.shape[0]) - np.searchsorted(row, row)
    width = int(column.max(initial=0)) + 1
    sources = np.repeat(np.flatnonzero(kept).astype(np.int32)[:, None], width, axis=1)
    shares = np.zeros(sources.shape)
    sources[row, column] = order
    shares[row, column] = 1.0
    return Mixed(sources, shares / shares.sum(axis=1, keepdims=True))


def _joined(mesh: Mesh, sides: U32) -> tuple[Mesh, Lineage]:
    """Give vertices that were split off back to their origin where both now lie on one side."""
    origin = mesh.split_from
    if origin is None or not (origin >= 0).any():
        return mesh, ()
    count = mesh.vertex_count
    of_vertex = np.zeros(count, np.int64)
    of_vertex[mesh.triangles] = sides[:, None]
    used = np.zeros(count, bool)
    used[mesh.triangles] = True
    target = _targets(origin, used, of_vertex)
    kept = target == np.arange(count)
    if kept.all():
        return mesh, ()
    number = np.cumsum(kept) - 1
    lineage: Lineage = (_means(target, kept, number),)
    new_origin = origin[kept]
    new_origin = np.where(new_origin >= 0, number[target[np.maximum(new_origin, 0)]], -1).astype(np.int32)
    # Attributes are those of the origin, bit for bit: only paint is averaged.
    joined = moved_mesh(
        (Picked(np.flatnonzero(kept).astype(np.int32)),),
        mesh,
        triangles=number[target[mesh.triangles]].astype(np.uint32),
        split_from=new_origin,
    )
    return joined, lineage


def _apart(mesh: Mesh, sides: U32) -> tuple[Mesh, Lineage]:
    """One vertex for each side that triangles at it have; the lowest side keeps the old vertex."""
    corners = mesh.triangles.astype(np.int64).reshape(-1)
    side = np.repeat(sides.astype(np.int64), 3)
    base = int(side.max(initial=0)) + 1
    keys = corners * base + side
    distinct, which = np.unique(keys, return_inverse=True)
    vertex = distinct // base
    first = np.ones(vertex.shape[0], bool)
    first[1:] = vertex[1:] != vertex[:-1]
    extra = vertex[~first].astype(np.int32)
    if extra.size == 0:
        return mesh, ()
    number = np.where(first, vertex, 0)
    number[~first] = mesh.vertex_count + np.arange(extra.shape[0])
    index = np.concatenate([np.arange(mesh.vertex_count, dtype=np.int32), extra])
    origin = mesh.split_from
    if origin is None:
        origin = np.full(mesh.vertex_count, -1, np.int32)
    lineage: Lineage = (Picked(index),)
    return (
        moved_mesh(
            lineage,
            mesh,
            triangles=number[which].reshape(-1, 3).astype(np.uint32),
            split_from=np.concatenate([origin, extra]),
        ),
        lineage,
    )


def with_sides(mesh: Mesh, sides: U32) -> Parted:
    """The mesh with new sides (m,): vertices split where they part, joined where they no longer do."""
    joined, back = _joined(mesh, sides)
    parted, forth = _apart(joined, sides)
    plain = not sides.any()
    split_from = parted.split_from
    done = replace(
        parted,
        sides=None if plain else sides,
        split_from=None if split_from is None or not (split_from >= 0).any() else split_from,
    )
    return Parted(done, back + forth, done.vertex_count - mesh.vertex_count)


def hard_border(mesh: Mesh, faces: Mask) -> Parted:
    """A hard border round chosen triangles (m,): they get a side of their own."""
    sides = np.zeros(mesh.triangles.shape[0], np.uint32) if mesh.sides is None else mesh.sides.copy()
    sides[faces] = sides.max(initial=0) + 1
    return with_sides(mesh, sides)


def soft_border(mesh: Mesh, faces: Mask) -> Parted:
    """The reverse: chosen triangles (m,) are on the common side again."""
    sides = np.zeros(mesh.triangles.shape[0], np.uint32) if mesh.sides is None else mesh.sides.copy()
    sides[faces] = 0
    return with_sides(mesh, sides)


def is_hard(mesh: Mesh, faces: Mask) -> bool:
    """Whether chosen triangles (m,) are on sides that no other triangle is on."""
    if mesh.sides is None or not faces.any():
        return False
    inside, outside = mesh.sides[faces], mesh.sides[~faces]
    return bool(inside.all()) and not np.isin(inside, outside).any()


def vertices_in(mesh: Mesh, faces: Mask | I32) -> I32:
    """The vertices of chosen triangles, ascending."""
    return np.unique(mesh.triangles[faces]).astype(np.int32)
