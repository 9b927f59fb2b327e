"""What the artist is told about a mesh."""

from typing import Any

import numpy as np

from ashblend.core.prepare.grain import grain, grain_facts
from ashblend.core.prepare.groups.grouping import group_mask
from ashblend.core.prepare.sides import is_hard
from ashblend.core.prepare.uv_facts import all_uv_facts, best_map
from ashblend.core.sites.charts import seams_of
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import MeshVertices


def _streams(mesh: Mesh) -> list[dict[str, Any]]:
    """Bytes a vertex of each stream as glTF stores it: float32, indices as they would be written."""
    out: list[dict[str, Any]] = [{"name": "Position", "bytes": 12}]
    if mesh.normals is not None:
        out.append({"name": "Normal", "bytes": 12})
    if mesh.tangents is not None:
        out.append({"name": "Tangent", "bytes": 16})
    out += [{"name": f"UV set {i + 1}", "bytes": 8} for i in range(len(mesh.uvs))]
    out += [
        {"name": name.lstrip("_"), "bytes": 4 * values.shape[1]} for name, values in mesh.attributes.items()
    ]
    return out


def group_facts(mesh: Mesh) -> list[dict[str, Any]]:
    """Name, run of triangles and whether the border is hard, for each group."""
    return [
        {
            "name": g.name,
            "first": g.first,
            "triangles": g.count,
            "hard": mesh.sides is not None and is_hard(mesh, group_mask(mesh, [g.name])),
        }
        for g in mesh.groups
    ]


def mesh_facts(mesh: Mesh, sites: MeshVertices) -> dict[str, Any]:
    """Counts, sizes in metres, grain, seams, groups and memory."""
    spacing = grain_facts(grain(sites), sites.areas)
    low, high = mesh.positions.min(axis=0), mesh.positions.max(axis=0)
    return {
        "vertices": mesh.vertex_count,
        "points": sites.weld.point_count,
        "triangles": int(mesh.triangles.shape[0]),
        "area": float(sites.areas.sum(dtype=np.float64)),
        "size": (high - low).astype(float).tolist(),
        "low": low.astype(float).tolist(),
        "spacing_median": spacing.median,
        "spacing_longest": spacing.worst,
        "spacing_fine": spacing.fine,
        "spacing_coarse": spacing.coarse,
        # Without split vertices there is nothing to look for, and a million vertices take seconds.
        "seams": 0 if sites.weld.point_count == mesh.vertex_count else int(seams_of(mesh).shape[0]),
        "uv_sets": len(mesh.uvs),
        "uvs": all_uv_facts(mesh),
        "best_map": best_map(mesh),
        "groups": group_facts(mesh),
        "streams": _streams(mesh),
        "index_bytes": int(mesh.triangles.shape[0]) * 3 * (2 if mesh.vertex_count <= 65_535 else 4),
    }
