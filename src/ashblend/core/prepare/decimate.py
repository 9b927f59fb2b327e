"""Fewer triangles: quadric decimation (Garland and Heckbert 1997) by pyfqmr.

The library keeps open edges as they are, so the mesh is cut open along UV seams and hard borders
first: both sides of a cut then still meet vertex by vertex. UVs, groups and borders are found again
on the original by closest place, chart by chart. Tried: decimating the file's own vertices, which
are split at every crease too, hardly takes any away; decimating a welded shell lets triangles run
over the seams of the map. Where cuts leave too little to collapse, the welded shell is taken all
the same.
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, F64, I32, I64
from ashblend.core.sites.charts import island_of_face
from ashblend.core.sites.closest import ClosestTree, unit_normals
from ashblend.core.sites.edges import place_of_vertex
from ashblend.core.sites.lineage import Lineage, Mixed
from ashblend.core.sites.mesh import Group, Mesh
from ashblend.core.sites.moved_mesh import moved_mesh

FACING_LIMIT = 60.0
MOST_OVER = 1.5
# How far toward its triangles a corner is looked up, so that it is found on their side of a seam.
INSET = 0.02


@dataclass(frozen=True)
class Decimated:
    """mesh: the coarser one. lineage: from the vertices of the original."""

    mesh: Mesh
    lineage: Lineage


def _whole(faces: I32) -> I32:
    """Triangles whose corners are three different ones."""
    a, b, c = faces.T
    return faces[(a != b) & (b != c) & (c != a)]


def _run(mesh: Mesh, number: I32, triangles: int) -> tuple[F32, I32]:
    """Decimate over a numbering (n,) of the vertices; those of one number lie at one place."""
    import pyfqmr

    first = np.empty(int(number.max()) + 1, np.int64)
    first[number[::-1]] = np.arange(number.shape[0])[::-1]
    simplifier = pyfqmr.Simplify()
    simplifier.setMesh(
        mesh.positions[first].astype(np.float64), _whole(number[mesh.triangles]).astype(np.int32)
    )
    simplifier.simplify_mesh(target_count=triangles, aggressiveness=5, preserve_border=True, verbose=0)
    positions, kept, _ = simplifier.getMesh()
    return np.asarray(positions, np.float32), _whole(np.asarray(kept, np.int32))


def _simplified(mesh: Mesh, triangles: int) -> tuple[F32, I32]:
    places = place_of_vertex(mesh)
    rows: list[I64] = [places[:, None].astype(np.int64), mesh.side_of_vertex[:, None].astype(np.int64)]
    if mesh.uvs:
        rows.append(np.ascontiguousarray(mesh.uvs[0] + np.float32(0)).view(np.uint32).astype(np.int64))
    _, cut = np.unique(np.concatenate(rows, axis=1), axis=0, return_inverse=True)
    positions, faces = _run(mesh, cut.reshape(-1).astype(np.int32), triangles)
    if faces.shape[0] > MOST_OVER * triangles:
        return _run(mesh, places, triangles)
    return positions, faces


def decimate(mesh: Mesh, triangles: int) -> Decimated:
    """The mesh with about so many triangles. Raises ValueError when nothing would be left."""
    positions, faces = _simplified(mesh, triangles)
    if faces.shape[0] == 0:
        raise ValueError("Nothing is left of the mesh with so few triangles.")
    # What must not be mixed across: UV islands, and the sides of hard borders.
    sides = mesh.sides if mesh.sides is not None else np.zeros(mesh.triangles.shape[0], np.uint32)
    _, label = np.unique(np.column_stack([island_of_face(mesh), sides]), axis=0, return_inverse=True)
    labels: I32 = label.reshape(-1).astype(np.int32)
    tree = ClosestTree(mesh.positions, mesh.triangles, labels)
    normals = unit_normals(positions, faces)
    centres: F64 = positions[faces].astype(np.float64).mean(axis=1)
    near = tree.closest(centres, normals, FACING_LIMIT)
    lost = near.faces < 0
    origin = near.faces.copy()
    if lost.any():
        origin[lost] = tree.closest(centres[lost]).faces
    order = np.argsort(mesh.group_of_face[origin], kind="stable")
    faces, origin, normals = faces[order], origin[order], normals[order]
    corner_label = np.repeat(labels[origin], 3)
    pairs, which = np.unique(np.column_stack([faces.reshape(-1), corner_label]), axis=0, return_inverse=True)
    vertex_normals = np.zeros((pairs.shape[0], 3))
    which = which.reshape(-1)
    np.add.at(vertex_normals, which, np.repeat(normals, 3, axis=0))
    at = positions[pairs[:, 0]]
    toward = np.zeros((pairs.shape[0], 3))
    np.add.at(toward, which, np.repeat(positions[faces].mean(axis=1), 3, axis=0))
    toward /= np.bincount(which)[:, None]
    look = at + INSET * (toward - at)
    found = tree.closest(look, vertex_normals, 100.0, pairs[:, 1].astype(np.int32))
    lost = found.faces < 0
    hit, shares = found.faces, found.shares
    if lost.any():
        again = tree.closest(look[lost], labels=pairs[lost, 1].astype(np.int32))
        hit[lost], shares[lost] = again.faces, again.shares
    lineage: Lineage = (Mixed(mesh.triangles[hit].astype(np.int32), shares),)
    counts = np.bincount(mesh.group_of_face[origin], minlength=len(mesh.groups))
    groups, first = [], 0
    for group, count in zip(mesh.groups, counts, strict=True):
        if count:
            groups.append(Group(group.name, first, int(count)))
            first += int(count)
    made = moved_mesh(
        lineage,
        mesh,
        triangles=which.reshape(-1, 3).astype(np.uint32),
        groups=tuple(groups),
        sides=mesh.sides[origin] if mesh.sides is not None else None,
        split_from=None,
    )
    # Where the decimated shell lies, not where its closest place on the original does.
    moved = Mesh(**{**made.__dict__, "positions": at})
    return Decimated(moved, lineage)
