"""How a surface bends at its points: the divergence of its normals, the sum of both curvatures in 1/m.

On each triangle it is that of the ways in which the normals at its corners are turned from its own, as angles, a sum of
edges times normals that no sliver makes large; over a texture's seam, of the strip between two texels. Blurred along the
surface it no longer depends on how the surface is cut into triangles: a fold of angle β gives β/(σ√2π) beside it at every
density. Tried: the normals themselves, whose difference is a chord and leans out of the triangle: a fold of 90° came to
0.79 of that.

Source: do Carmo (1976), Differential Geometry of Curves and Surfaces, 3.3 (the divergence of the normals); gradients of
linear functions on triangles as in Botsch et al. (2010), Polygon Mesh Processing, 3.3.
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.sites.patch import Graph


@numba.njit(cache=True, inline="always")
def _per_sine(cosine: float, sine: float) -> float:
    """An angle by its sine: what stretches the part of a normal across another to the angle between them."""
    return np.arctan2(sine, cosine) / sine if sine > 1e-9 else 1.0


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _divergence(positions: F32, normals: F32, offsets: I32, fans: I32) -> F64:
    count = offsets.shape[0] - 1
    out = np.zeros(count)
    for p in range(count):
        bent, area, edges, ways = 0.0, 0.0, 0.0, 0
        px, py, pz = float(positions[p, 0]), float(positions[p, 1]), float(positions[p, 2])
        for j in range(offsets[p], offsets[p + 1]):
            a, b = fans[j, 0], fans[j, 1]
            if a == b or p in (a, b):
                continue
            ux, uy, uz = positions[a, 0] - px, positions[a, 1] - py, positions[a, 2] - pz
            vx, vy, vz = positions[b, 0] - px, positions[b, 1] - py, positions[b, 2] - pz
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            doubled = np.sqrt(nx * nx + ny * ny + nz * nz)
            edges += np.sqrt(ux * ux + uy * uy + uz * uz)
            ways += 1
            if doubled <= 0:
                continue
            nx, ny, nz = nx / doubled, ny / doubled, nz / doubled
            # Twice the area times the gradient at a corner is the normal across the edge opposite.
            total = 0.0
            for corner in range(3):
                if corner == 0:
                    ex, ey, ez = vx - ux, vy - uy, vz - uz
                    n = p
                elif corner == 1:
                    ex, ey, ez = -vx, -vy, -vz
                    n = a
                else:
                    ex, ey, ez = ux, uy, uz
                    n = b
                gx, gy, gz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
                mx, my, mz = float(normals[n, 0]), float(normals[n, 1]), float(normals[n, 2])
                cosine = mx * nx + my * ny + mz * nz
                sine = np.sqrt((mx - cosine * nx) ** 2 + (my - cosine * ny) ** 2 + (mz - cosine * nz) ** 2)
                total += (gx * mx + gy * my + gz * mz) * _per_sine(cosine, sine)
            bent += 0.5 * total / 3
            area += doubled / 6
        if ways > 0:
            width = edges / ways
            for j in range(offsets[p], offsets[p + 1]):
                q = fans[j, 0]
                if q != fans[j, 1] or q == p:
                    continue
                dx, dy, dz = positions[q, 0] - px, positions[q, 1] - py, positions[q, 2] - pz
                apart = np.sqrt(dx * dx + dy * dy + dz * dz)
                if apart > 0:
                    turn = (
                        (normals[q, 0] - normals[p, 0]) * dx
                        + (normals[q, 1] - normals[p, 1]) * dy
                        + (normals[q, 2] - normals[p, 2]) * dz
                    ) / apart
                    bent += 0.5 * width * turn
                    area += 0.5 * width * apart
        out[p] = bent / area if area > 0 else 0.0
    return out


def bend(graph: Graph, normals: F32) -> F64:
    """(points,) 1/m, positive where the surface bulges."""
    return _divergence(graph.positions, normals, graph.offsets, graph.fans)
