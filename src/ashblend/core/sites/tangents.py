"""Tangent frames and texel density from the first UV set.

Tangents are MikkTSpace's (Mikkelsen 2008, "Simulation of Wrinkled Surfaces Revisited"): projected into
the vertex plane, weighted by corner angle, summed over all corners that agree in position, normal and
UV, apart for mirrored and unmirrored parts of the map. What is drawn is therefore not what is
painted: a vertex where both meet is drawn twice, and stays one site. A file's own TANGENT is used instead
where it exists. Not followed: where corners of one handedness meet at a vertex only, and at no
edge, the reference keeps them apart, too.
"""

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, I32, U32
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.triangle import area_vector
from ashblend.core.sites.weld import number_rows


@dataclass(frozen=True)
class Drawn:
    """triangles: (m, 3) int32 over the drawn vertices. site_of_extra: (k,) sites drawn once more.

    Drawn vertices are all the sites in order, then the extra ones.
    tangents: (n + k, 4): unit along u, and handedness ±1, such that up the image is w · n × t.
    """

    triangles: I32
    site_of_extra: I32
    tangents: F32


@numba.njit(cache=True, inline="always")
def _across(x: float, y: float, z: float, nx: float, ny: float, nz: float) -> tuple[float, float, float]:
    """What of a vector lies in the plane of a normal, made unit; zero where nothing does."""
    along = x * nx + y * ny + z * nz
    x, y, z = x - along * nx, y - along * ny, z - along * nz
    length = np.sqrt(x * x + y * y + z * z)
    if length <= 0:
        return 0.0, 0.0, 0.0
    return x / length, y / length, z / length


@numba.njit(cache=True)
def _gather(
    positions: F32, normals: F32, uv: F32, triangles: I32, number: I32, sums: F64, angles: F64, mirrored: NDArray[np.int8]
) -> None:  # fmt: skip
    """sums (numbers, 2, 3) and angles (vertices, 2), by handedness; mirrored (m,) 1, 0, or −1 for no area."""
    for t in range(triangles.shape[0]):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        du1, dv1 = float(uv[j, 0]) - uv[i, 0], float(uv[j, 1]) - uv[i, 1]
        du2, dv2 = float(uv[k, 0]) - uv[i, 0], float(uv[k, 1]) - uv[i, 1]
        area = du1 * dv2 - du2 * dv1
        if area == 0:
            mirrored[t] = -1
            continue
        # v runs down the image, so a map that is not mirrored has negative area seen from outside.
        hand = 1 if area > 0 else 0
        mirrored[t] = hand
        sign = 1.0 if area > 0 else -1.0
        tx = (
            dv2 * (float(positions[j, 0]) - positions[i, 0])
            - dv1 * (float(positions[k, 0]) - positions[i, 0])
        ) * sign
        ty = (
            dv2 * (float(positions[j, 1]) - positions[i, 1])
            - dv1 * (float(positions[k, 1]) - positions[i, 1])
        ) * sign
        tz = (
            dv2 * (float(positions[j, 2]) - positions[i, 2])
            - dv1 * (float(positions[k, 2]) - positions[i, 2])
        ) * sign
        for corner in range(3):
            a = triangles[t, corner]
            b, c = triangles[t, (corner + 1) % 3], triangles[t, (corner + 2) % 3]
            nx, ny, nz = float(normals[a, 0]), float(normals[a, 1]), float(normals[a, 2])
            x, y, z = _across(tx, ty, tz, nx, ny, nz)
            ex, ey, ez = _across(
                float(positions[b, 0]) - positions[a, 0],
                float(positions[b, 1]) - positions[a, 1],
                float(positions[b, 2]) - positions[a, 2],
                nx, ny, nz,
            )  # fmt: skip
            fx, fy, fz = _across(
                float(positions[c, 0]) - positions[a, 0],
                float(positions[c, 1]) - positions[a, 1],
                float(positions[c, 2]) - positions[a, 2],
                nx, ny, nz,
            )  # fmt: skip
            angle = np.arccos(min(1.0, max(-1.0, ex * fx + ey * fy + ez * fz)))
            p = number[a]
            sums[p, hand, 0] += angle * x
            sums[p, hand, 1] += angle * y
            sums[p, hand, 2] += angle * z
            angles[a, hand] += angle


@numba.njit(cache=True)
def _finished(sums: F64, number: I32, hands: I32, normals: F32, sites: I32) -> F32:
    """Unit tangents with handedness; where the map gave none, any direction along the surface."""
    out = np.empty((sites.shape[0], 4), np.float32)
    for v in range(sites.shape[0]):
        i = sites[v]
        x, y, z = sums[number[i], hands[v], 0], sums[number[i], hands[v], 1], sums[number[i], hands[v], 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length <= 1e-12:
            nx, ny, nz = float(normals[i, 0]), float(normals[i, 1]), float(normals[i, 2])
            if abs(nx) < 0.9:
                x, y, z = 0.0, nz, -ny
            else:
                x, y, z = -nz, 0.0, nx
            length = np.sqrt(x * x + y * y + z * z)
        out[v, 0] = x / length
        out[v, 1] = y / length
        out[v, 2] = z / length
        out[v, 3] = -1 if hands[v] else 1
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


def _bits(values: F32) -> U32:
    # −0 counts as 0.
    return np.ascontiguousarray(values + np.float32(0)).view(np.uint32)


def _split(triangles: I32, mirrored: NDArray[np.int8], hands: I32) -> tuple[I32, I32]:
    """Triangles over drawn vertices, and the sites drawn once more: for corners of the other handedness."""
    other = (mirrored[:, None] >= 0) & (hands[triangles] != mirrored[:, None])
    sites, which = np.unique(triangles[other], return_inverse=True)
    drawn = triangles.copy()
    drawn[other] = hands.shape[0] + which.reshape(-1)
    return drawn, sites.astype(np.int32)


def drawn_vertices(mesh: Mesh, normals: F32) -> Drawn:
    """What is drawn of a mesh. normals: (n, 3) unit, the sites'. Without UVs tangents run along x."""
    triangles = np.ascontiguousarray(mesh.triangles.astype(np.int32))
    count = mesh.vertex_count
    nobody = np.empty(0, np.int32)
    if mesh.tangents is not None:
        return Drawn(triangles, nobody, mesh.tangents)
    if not mesh.uvs:
        return Drawn(triangles, nobody, np.tile(np.array([1, 0, 0, 1], np.float32), (count, 1)))
    uv = np.ascontiguousarray(mesh.uvs[0], np.float32)
    number, numbers = number_rows(np.concatenate([_bits(mesh.positions), _bits(normals), _bits(uv)], axis=1))
    sums, angles = np.zeros((numbers, 2, 3)), np.zeros((count, 2))
    mirrored = np.empty(triangles.shape[0], np.int8)
    _gather(np.ascontiguousarray(mesh.positions), normals, uv, triangles, number, sums, angles, mirrored)
    hands = (angles[:, 1] > angles[:, 0]).astype(np.int32)
    drawn, extra = _split(triangles, mirrored, hands)
    sites = np.concatenate([np.arange(count, dtype=np.int32), extra])
    all_hands = np.concatenate([hands, 1 - hands[extra]])
    return Drawn(drawn, extra, _finished(sums, number, all_hands, normals, sites))


def tangents_over(mesh: Mesh, normals: F32, uv: F32) -> F32:
    """(n, 4) tangents of another UV set at the vertices; where it is mirrored at one, the wider side is taken."""
    triangles = np.ascontiguousarray(mesh.triangles.astype(np.int32))
    uv = np.ascontiguousarray(uv, np.float32)
    number, numbers = number_rows(np.concatenate([_bits(mesh.positions), _bits(normals), _bits(uv)], axis=1))
    sums, angles = np.zeros((numbers, 2, 3)), np.zeros((mesh.vertex_count, 2))
    mirrored = np.empty(triangles.shape[0], np.int8)
    _gather(np.ascontiguousarray(mesh.positions), normals, uv, triangles, number, sums, angles, mirrored)
    hands = (angles[:, 1] > angles[:, 0]).astype(np.int32)
    return _finished(sums, number, hands, normals, np.arange(mesh.vertex_count, dtype=np.int32))


def metres_per_uv(mesh: Mesh, number: int = 0) -> float:
    """Edge in metres of the average unit square of a UV set; 1 without usable UVs."""
    if number >= len(mesh.uvs):
        return 1.0
    in_space, in_map = _doubled_areas(mesh.positions, mesh.uvs[number], mesh.triangles.astype(np.int32))
    return float(np.sqrt(in_space / in_map)) if in_map > 1e-12 else 1.0
