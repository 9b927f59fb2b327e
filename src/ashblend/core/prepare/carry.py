"""Carrying paint to another mesh: every new vertex takes what lies at the closest place of the old one."""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, F64, U32, Mask
from ashblend.core.progress import Progress, silent
from ashblend.core.sites.closest import ClosestTree
from ashblend.core.sites.lineage import Lineage, Mixed
from ashblend.core.sites.mesh import Mesh

FACING_LIMIT = 75.0


@dataclass(frozen=True)
class Carried:
    """lineage: from old vertices to new. distances: (n,) metres from each new vertex to the old surface.

    turned: (n,) where nothing near faced the same way, so that the closest place of any facing was taken.
    """

    lineage: Lineage
    distances: F64
    turned: Mask


@dataclass(frozen=True)
class CarryReport:
    """In metres, but for turned and far: numbers of vertices. far: beyond `limit`."""

    vertices: int
    median: float
    worst: float
    limit: float
    far: int
    turned: int


def carry_over(
    old: Mesh,
    positions: F32,
    normals: F32,
    facing_limit: float = FACING_LIMIT,
    progress: Progress = silent,
    sides: U32 | None = None,
) -> Carried:
    """Where vertices at positions (n, 3) with normals (n, 3) find their paint on an old mesh.

    sides: (n,) sides of the old mesh's hard borders to keep to, where there are such, or None.
    """
    labels = wanted = None
    if sides is not None and old.sides is not None:
        labels = old.sides.astype(np.int32)
        wanted = np.where(np.isin(sides, old.sides), sides, -1).astype(np.int32)
    tree = ClosestTree(old.positions, old.triangles, labels)
    hits = tree.closest(positions, normals, facing_limit, wanted, progress)
    faces, shares, distances = hits.faces, hits.shares, hits.distances
    turned = faces < 0
    if turned.any():
        anyway = tree.closest(positions[turned], labels=None if wanted is None else wanted[turned])
        faces[turned], shares[turned] = anyway.faces, anyway.shares
        distances[turned] = anyway.distances
    sources = old.triangles[faces].astype(np.int32)
    return Carried((Mixed(sources, shares),), distances, turned)


def carry_report(carried: Carried, grain: float) -> CarryReport:
    """grain: median distance between neighbours in metres; farther than half of it is called far."""
    limit = grain / 2
    return CarryReport(
        vertices=carried.distances.shape[0],
        median=float(np.median(carried.distances)),
        worst=float(carried.distances.max()),
        limit=limit,
        far=int((carried.distances > limit).sum()),
        turned=int(carried.turned.sum()),
    )
