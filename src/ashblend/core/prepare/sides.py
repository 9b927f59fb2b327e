"""Hard borders: vertices split so that one side can be full and the other empty.

Triangles carry a side. Where triangles of unlike sides meet, the vertices there are split, one
for each side; where sides become alike again, what was split off is joined again.
"""

from dataclasses import dataclass, replace

import numpy as np

from ashblend.core.arrays import I32, U32, Mask
from ashblend.core.prepare.lineage import Lineage, Mixed, Picked, moved_mesh
from ashblend.core.sites.mesh import Mesh


@dataclass(frozen=True)
class Parted:
    """mesh: with the new sides. added: vertices more than before; negative when some were joined."""

    mesh: Mesh
    lineage: Lineage
    added: int


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
    target = np.arange(count)
    # Origins come before what was split from them, so one pass in order follows chains.
    for v in np.flatnonzero(origin >= 0):
        o = target[origin[v]]
        if used[o] and of_vertex[o] != of_vertex[v]:
            continue
        target[v] = o
        of_vertex[o] = of_vertex[v]
        used[o] = True
    gone = target != np.arange(count)
    if not gone.any():
        return mesh, ()
    number = np.cumsum(~gone) - 1
    # An origin takes the mean of all that come back to it.
    sources = np.stack([np.flatnonzero(~gone)] * 3, axis=1).astype(np.int32)
    shares = np.tile(np.array([1.0, 0.0, 0.0]), (sources.shape[0], 1))
    for v in np.flatnonzero(gone):
        row = number[target[v]]
        slot = 1 if shares[row, 1] == 0 else 2
        sources[row, slot] = v
        shares[row, slot] = 1.0
    shares /= shares.sum(axis=1, keepdims=True)
    lineage: Lineage = (Mixed(sources, shares),)
    new_origin = origin[~gone]
    new_origin = np.where(new_origin >= 0, number[target[np.maximum(new_origin, 0)]], -1).astype(np.int32)
    joined = moved_mesh(
        lineage,
        mesh,
        triangles=number[target[mesh.triangles]].astype(np.uint32),
        split_from=new_origin,
    )
    kept = ~gone
    # Attributes are those of the origin: only paint is averaged.
    exact = moved_mesh((Picked(np.flatnonzero(kept).astype(np.int32)),), mesh)
    joined = replace(
        joined,
        positions=exact.positions,
        normals=exact.normals,
        tangents=exact.tangents,
        uvs=exact.uvs,
        colours=exact.colours,
        attributes=exact.attributes,
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
