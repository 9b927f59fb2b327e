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
from ashblend.core.sites.triangle import area_vector


@numba.njit(cache=True)
def _gather(positions: F32, normals: F32, uv: F32, triangles: I32, sums: F32, hands: F32) -> None:
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
            nx, ny, nz = normals[i, 0], normals[i, 1], normals[i, 2]
            ex, ey, ez = (
                positions[j, 0] - positions[i, 0],
                positions[j, 1] - positions[i, 1],
                positions[j, 2] - positions[i, 2],
            )
            fx, fy, fz = (
                positions[k, 0] - positions[i, 0],
                positions[k, 1] - positions[i, 1],
                positions[k, 2] - positions[i, 2],
            )
            lengths = (ex * ex + ey * ey + ez * ez) * (fx * fx + fy * fy + fz * fz)
            tx = (dv2 * ex - dv1 * fx) * sign
            ty = (dv2 * ey - dv1 * fy) * sign
            tz = (dv2 * ez - dv1 * fz) * sign
            along = tx * nx + ty * ny + tz * nz
            tx -= along * nx
            ty -= along * ny
            tz -= along * nz
            length = np.sqrt(tx * tx + ty * ty + tz * tz)
            if length <= 0 or lengths <= 0:
                continue
            cosine = (ex * fx + ey * fy + ez * fz) / np.sqrt(lengths)
            angle = np.arccos(min(1.0, max(-1.0, cosine)))
            sums[i, 0] += angle * tx / length
            sums[i, 1] += angle * ty / length
            sums[i, 2] += angle * tz / length
            # v runs down the image, so a map that is not mirrored has negative area seen from outside.
            hands[i] -= angle * sign


@numba.njit(cache=True)
def _finished(sums: F32, hands: F32, normals: F32) -> F32:
    """Unit tangents with handedness; where the map gave none, any direction along the surface."""
    out = np.empty((sums.shape[0], 4), np.float32)
    for i in range(sums.shape[0]):
        x, y, z = sums[i, 0], sums[i, 1], sums[i, 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length <= 1e-12:
            nx, ny, nz = normals[i, 0], normals[i, 1], normals[i, 2]
            if abs(nx) < 0.9:
                x, y, z = np.float32(0), nz, -ny
            else:
                x, y, z = -nz, np.float32(0), nx
            length = np.sqrt(x * x + y * y + z * z)
        out[i, 0] = x / length
        out[i, 1] = y / length
        out[i, 2] = z / length
        out[i, 3] = -1 if hands[i] < 0 else 1
    return out


@numba.njit(cache=True)
def _doubled_areas(positions: F32, uv: F32, triangles: I32) -> tuple[float, float]:
    """Twice the area of all triangles in space and in the map."""
    in_space = 0.0
    in_map = 0.0
    for t in range(triangles.shape[0]):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        cx, cy, cz = area_vector(positions, i, j, k)
        in_space += np.sqrt(cx * cx + cy * cy + cz * cz)
        in_map += abs(
            (uv[j, 0] - uv[i, 0]) * (uv[k, 1] - uv[i, 1]) - (uv[j, 1] - uv[i, 1]) * (uv[k, 0] - uv[i, 0])
        )
    return in_space, in_map


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
    return _finished(sums, hands, normals)


def metres_per_uv(mesh: Mesh) -> float:
    """Edge in metres of the average unit square of the first UV set; 1 without usable UVs."""
    if not mesh.uvs:
        return 1.0
    in_space, in_map = _doubled_areas(mesh.positions, mesh.uvs[0], mesh.triangles.astype(np.int32))
    return float(np.sqrt(in_space / in_map)) if in_map > 1e-12 else 1.0
