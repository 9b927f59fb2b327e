"""Whether weights can be added to the file that a surface came from, or a new one has to be written."""

import numpy as np

from ashblend.core.arrays import F32, U32
from ashblend.core.sites.mesh import Mesh


def _same(a: F32 | None, b: F32 | None) -> bool:
    if a is None or b is None:
        return a is b
    return a.shape == b.shape and bool((a == b).all())


def _set_of(triangles: U32) -> U32:
    """Triangles begun at their smallest corner, in an order of their own."""
    rows = np.arange(triangles.shape[0])[:, None]
    first = triangles.argmin(axis=1)[:, None]
    turned = triangles[rows, (first + np.arange(3)) % 3]
    return turned[np.lexsort(turned.T)]


def why_new_file(came: Mesh, now: Mesh) -> str | None:
    """Why a file that was read as `came` cannot hold the weights of `now`; None where it can.

    Names of groups and the order of faces make no difference: what is painted belongs to vertices.
    """
    if now.vertex_count != came.vertex_count:
        more = now.vertex_count - came.vertex_count
        return f"the mesh has {abs(more):,} vertices {'more' if more > 0 else 'fewer'} than your file"
    if not _same(now.positions, came.positions):
        return "the vertices lie elsewhere than in your file"
    if len(now.uvs) != len(came.uvs) or not all(map(_same, now.uvs, came.uvs)):
        return "the UVs are others than in your file"
    if now.triangles.shape != came.triangles.shape or not np.array_equal(
        _set_of(now.triangles), _set_of(came.triangles)
    ):
        return "the faces are others than in your file"
    return None
