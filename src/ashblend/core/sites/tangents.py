"""Tangent frames and texel density from the first UV set.

Tangents are MikkTSpace's per-vertex case (Mikkelsen 2008, "Simulation of Wrinkled Surfaces
Revisited"): projected into the vertex plane and weighted by corner angle. Vertices are not split
where handedness differs, because sites are what the file has; the handedness of the larger angle
wins. A file's own TANGENT is used instead where it exists.
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, I32
from ashblend.core.sites.mesh import Mesh


@numba.njit(cache=True)
def _gather(positions: F32, normals: F32, uv: F32, triangles: I32, sums: F32, hands: F32) -> None:
    edge = np.empty((2, 3), np.float64)
    for t in range(triangles.shape[0]):
        for corner in range(3):
            i = triangles[t, corner]
            j = triangles[t, (corner + 1) % 3]
            k = triangles[t, (corner + 2) % 3]
            du1, dv1 = uv[j, 0] - uv[i, 0], uv[j, 1] - uv[i, 1]
            du2, dv2 = uv[k, 0] - uv[i, 0], uv[k, 1] - uv[i, 1]
            area = du1 * dv2 - du2 * dv1
            if area == 0:
                continue
            sign = 1.0 if area > 0 else -1.0
            length1 = 0.0
            length2 = 0.0
            cosine = 0.0
            tangent = np.zeros(3)
            along = 0.0
            for axis in range(3):
                edge[0, axis] = positions[j, axis] - positions[i, axis]
                edge[1, axis] = positions[k, axis] - positions[i, axis]
                length1 += edge[0, axis] ** 2
                length2 += edge[1, axis] ** 2
                cosine += edge[0, axis] * edge[1, axis]
                tangent[axis] = (dv2 * edge[0, axis] - dv1 * edge[1, axis]) * sign
                along += tangent[axis] * normals[i, axis]
            length = 0.0
            for axis in range(3):
                tangent[axis] -= along * normals[i, axis]
                length += tangent[axis] ** 2
            if length <= 0 or length1 <= 0 or length2 <= 0:
                continue
            angle = np.arccos(min(1.0, max(-1.0, cosine / np.sqrt(length1 * length2))))
            for axis in range(3):
                sums[i, axis] += angle * tangent[axis] / np.sqrt(length)
            # v runs down the image, so a mirrored map has positive area.
            hands[i] -= angle * sign


def vertex_tangents(mesh: Mesh, normals: F32) -> F32:
    """(n, 4): unit tangent along u and handedness ±1, such that up the image is w · n × t.

    normals: (n, 3) unit, the sites'. Raises ValueError without UVs.
    """
    if mesh.tangents is not None:
        return mesh.tangents
    if not mesh.uvs:
        raise ValueError("tangents need texture coordinates")
    sums = np.zeros((mesh.vertex_count, 3), np.float32)
    hands = np.zeros(mesh.vertex_count, np.float32)
    _gather(mesh.positions, normals, mesh.uvs[0], mesh.triangles.astype(np.int32), sums, hands)
    length = np.linalg.norm(sums, axis=1, keepdims=True)
    aside = np.cross(normals, np.where(np.abs(normals[:, :1]) < 0.9, [[1.0, 0, 0]], [[0, 1.0, 0]]))
    aside /= np.linalg.norm(aside, axis=1, keepdims=True)
    tangents = np.where(length > 1e-12, sums / np.maximum(length, 1e-12), aside)
    return np.concatenate([tangents, np.where(hands < 0, -1, 1)[:, None]], axis=1).astype(np.float32)


def metres_per_uv(mesh: Mesh) -> float:
    """Edge in metres of the average unit square of the first UV set; 1 without usable UVs."""
    if not mesh.uvs:
        return 1.0
    triangles = mesh.triangles
    a, b, c = (mesh.positions[triangles[:, k]].astype(np.float64) for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()
    p, q, r = (mesh.uvs[0][triangles[:, k]].astype(np.float64) for k in range(3))
    e, f = q - p, r - p
    uv_area = np.abs(e[:, 0] * f[:, 1] - e[:, 1] * f[:, 0]).sum()
    return float(np.sqrt(area / uv_area)) if uv_area > 1e-12 else 1.0
