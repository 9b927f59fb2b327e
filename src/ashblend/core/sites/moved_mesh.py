"""A mesh along a lineage: everything on its vertices moved."""

from dataclasses import replace
from typing import Any

import numpy as np

from ashblend.core.arrays import F32, F64
from ashblend.core.sites.lineage import Lineage, moved
from ashblend.core.sites.mesh import ColourSet, Mesh


def _units(vectors: F64, old: F32) -> F32:
    """Directions of length one again; those that did not change, bit for bit."""
    length = np.linalg.norm(vectors[:, :3], axis=1, keepdims=True)
    vectors[:, :3] = np.where(length > 1e-12, vectors[:, :3] / np.maximum(length, 1e-12), vectors[:, :3])
    return vectors.astype(np.float32)


def moved_attributes(lineage: Lineage, mesh: Mesh) -> dict[str, Any]:
    """Everything on a mesh's vertices moved: fields for `dataclasses.replace`, positions too."""
    # Old vertices must come out bit for bit: float32 survives float64 and back, normalising would not.
    origin = moved(lineage, np.arange(mesh.vertex_count))

    def directions(values: F32 | None) -> F32 | None:
        if values is None:
            return None
        raw = moved(lineage, values)
        out = _units(raw.copy(), values)
        same = (origin == np.rint(origin)) & (origin >= 0)
        kept = np.rint(origin[same]).astype(np.int64)
        exact = np.all(raw[same] == values[kept], axis=1)
        rows = np.flatnonzero(same)[exact]
        out[rows] = values[kept[exact]]
        if out.shape[1] == 4:
            out[:, 3] = np.where(raw[:, 3] < 0, -1, 1)
        return out

    def plain(values: F32) -> F32:
        return moved(lineage, values).astype(np.float32)

    return {
        "positions": plain(mesh.positions),
        "normals": directions(mesh.normals),
        "tangents": directions(mesh.tangents),
        "uvs": tuple(plain(uv) for uv in mesh.uvs),
        "colours": tuple(ColourSet(c.name, plain(c.values), c.bits) for c in mesh.colours),
        "attributes": {name: plain(values) for name, values in mesh.attributes.items()},
    }


def moved_mesh(lineage: Lineage, mesh: Mesh, **others: Any) -> Mesh:
    """The mesh with all its vertices moved, and other fields as given."""
    return replace(mesh, **moved_attributes(lineage, mesh), **others)
