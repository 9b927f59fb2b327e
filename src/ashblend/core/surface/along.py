"""Where each place of a mesh lies between two ends, 0..1."""

from collections.abc import Callable

import numpy as np

from ashblend.core.arrays import F64, U32
from ashblend.core.brush.fills.protocol import Way
from ashblend.core.sites.charts import part_of_face
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.protocol import Sites


def _coordinate(mesh: Mesh, way: Way) -> F64:
    """(n,) of every vertex. Raises ValueError without UVs where they are asked for."""
    if way in ("u", "v"):
        if not mesh.uvs:
            raise ValueError("The mesh has no UVs to go along.")
        # v runs down the image; along V goes up it.
        at = mesh.uvs[0][:, 0] if way == "u" else 1 - mesh.uvs[0][:, 1]
        return at.astype(np.float64)
    return mesh.positions[:, "xyz".index(way)].astype(np.float64)


def along_vertices(mesh: Mesh, way: Way, *, each: bool) -> F64:
    """(n,) 0 at the lowest vertex and 1 at the highest, of the mesh or of each connected part.

    What has no length along the way is 0.
    """
    at = _coordinate(mesh, way)
    part = np.zeros(mesh.vertex_count, np.int64)
    if each:
        # A vertex belongs to one part: parts share no place, and so no vertex.
        part[mesh.triangles] = part_of_face(mesh)[:, None]
    count = int(part.max()) + 1
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, part, at)
    np.maximum.at(high, part, at)
    length = (high - low)[part]
    return np.where(length > 1e-9, (at - low[part]) / np.maximum(length, 1e-12), 0.0)


def along_sites(mesh: Mesh, sites: Sites) -> Callable[[Way, bool, U32], F64]:
    """The same at sites of the mesh, worked out when first asked for."""
    known: dict[tuple[Way, bool], F64] = {}

    def along(way: Way, each: bool, asked: U32) -> F64:
        if (way, each) not in known:
            known[way, each] = along_vertices(mesh, way, each=each)
        places = sites.on_surface(asked)
        corners = mesh.triangles[places.faces].astype(np.int64)
        return np.asarray((known[way, each][corners] * places.shares).sum(axis=1))

    return along
