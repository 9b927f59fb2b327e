"""UVs for a mesh without: charts and packing by xatlas."""

from dataclasses import dataclass, replace

import numpy as np

from ashblend.core.sites.lineage import Lineage, Picked
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.moved_mesh import moved_mesh


@dataclass(frozen=True)
class Unwrapped:
    """mesh: with a new first UV set; vertices are split along its seams."""

    mesh: Mesh
    lineage: Lineage


def unwrap(mesh: Mesh) -> Unwrapped:
    """A first UV set for the mesh, others moved behind it. Slow: two minutes for 100 000 triangles."""
    import xatlas

    index, triangles, uv = xatlas.parametrize(
        np.ascontiguousarray(mesh.positions, np.float32), np.ascontiguousarray(mesh.triangles, np.uint32)
    )
    lineage: Lineage = (Picked(np.asarray(index).astype(np.int32)),)
    origin = mesh.split_from
    made = moved_mesh(lineage, mesh, triangles=np.asarray(triangles, np.uint32).reshape(-1, 3))
    return Unwrapped(
        replace(
            made,
            uvs=(np.asarray(uv, np.float32), *made.uvs),
            # Seams of a new map and hard borders are not told apart any more: borders stay.
            split_from=None if origin is None else np.full(made.vertex_count, -1, np.int32),
        ),
        lineage,
    )
