"""Where texels of a map lie on the mesh, and which of them a ball reaches; worked out, never stored."""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32
from ashblend.core.sites.boxes import leaves_within
from ashblend.core.sites.layout import SIDE
from ashblend.core.sites.map_raster import number_at, place_of
from ashblend.core.sites.patch import ONE
from ashblend.core.sites.triangle import area_vector

LEAF = 4


@numba.njit(cache=True, inline="always")
def _shares(uv: F32, a: int, b: int, c: int, x: float, y: float) -> tuple[float, float, float]:
    """Barycentric shares of a place of the map."""
    area = (float(uv[b, 0]) - uv[a, 0]) * (float(uv[c, 1]) - uv[a, 1]) - (float(uv[c, 0]) - uv[a, 0]) * (
        float(uv[b, 1]) - uv[a, 1]
    )
    u = ((uv[b, 0] - x) * (uv[c, 1] - y) - (uv[c, 0] - x) * (uv[b, 1] - y)) / area
    v = ((uv[c, 0] - x) * (uv[a, 1] - y) - (uv[a, 0] - x) * (uv[c, 1] - y)) / area
    return u, v, 1 - u - v


@numba.njit(cache=True, nogil=True, error_model="numpy")
def place_texels(
    positions: F32, normals: F32, uv: F32, triangles: U32, size: int, owner: U32, texels: U32
) -> tuple[F32, F32, F32]:
    """Positions, unit normals and areas of texels that a triangle shows at.

    Texels near each other have the same triangle, so what depends on that alone is worked out when it
    changes: without, a dab took twice the time.
    """
    across = size // SIDE
    at, towards = np.empty((texels.shape[0], 3), np.float32), np.empty((texels.shape[0], 3), np.float32)
    areas = np.empty(texels.shape[0], np.float32)
    last, a, b, c = np.uint32(0), np.uint32(0), np.uint32(0), np.uint32(0)
    u0 = v0 = u1 = v1 = u2 = v2 = per = area = 0.0
    for k in range(texels.shape[0]):
        if owner[texels[k]] != last:
            last = owner[texels[k]]
            t = np.uint32(max(last, ONE) - ONE)
            a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
            u0, v0 = float(uv[a, 0]), float(uv[a, 1])
            u1, v1 = uv[b, 0] - u0, uv[b, 1] - v0
            u2, v2 = uv[c, 0] - u0, uv[c, 1] - v0
            per = 1 / (u1 * v2 - u2 * v1)
            nx, ny, nz = area_vector(positions, a, b, c)
            area = np.sqrt(nx * nx + ny * ny + nz * nz) * abs(per) / (size * size)
        x, y = place_of(int(texels[k]), across)
        u3, v3 = (x + 0.5) / size - u0, (y + 0.5) / size - v0
        v, w = (u3 * v2 - u2 * v3) * per, (u1 * v3 - u3 * v1) * per
        u = 1 - v - w
        square = 0.0
        for axis in range(3):
            at[k, axis] = u * positions[a, axis] + v * positions[b, axis] + w * positions[c, axis]
            n = u * normals[a, axis] + v * normals[b, axis] + w * normals[c, axis]
            towards[k, axis] = n
            square += n * n
        if square > 0:
            scale = 1 / np.sqrt(square)
            for axis in range(3):
                towards[k, axis] *= scale
        else:
            towards[k, 1] = 1.0
        areas[k] = area
    return at, towards, areas


@numba.njit(cache=True, nogil=True)
def distances_from(positions: F32, centre: F32) -> F32:
    out = np.empty(positions.shape[0], np.float32)
    for k in range(positions.shape[0]):
        x, y, z = positions[k, 0] - centre[0], positions[k, 1] - centre[1], positions[k, 2] - centre[2]
        out[k] = np.sqrt(x * x + y * y + z * z)
    return out


@numba.njit(cache=True, nogil=True, error_model="numpy")
def places_on(uv: F32, triangles: I32, size: int, owner: I32, texels: U32) -> tuple[I32, F64]:
    across = size // SIDE
    faces, shares = np.empty(texels.shape[0], np.int32), np.empty((texels.shape[0], 3))
    for k in range(texels.shape[0]):
        t = owner[texels[k]] - 1
        faces[k] = t
        if t < 0:
            shares[k] = 0.0
            continue
        x, y = place_of(int(texels[k]), across)
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        u, v, w = _shares(uv, a, b, c, (x + 0.5) / size, (y + 0.5) / size)
        # A centre may lie a hair outside its triangle.
        u, v, w = max(0.0, u), max(0.0, v), max(0.0, w)
        total = u + v + w
        shares[k, 0], shares[k, 1], shares[k, 2] = u / total, v / total, w / total
    return faces, shares


@numba.njit(cache=True, nogil=True, error_model="numpy")
def texels_within(
    positions: F32,
    uv: F32,
    triangles: I32,
    size: int,
    owner: I32,
    order: I32,
    boxes: F32,
    leaves: int,
    centre: F32,
    radius: float,
    some: I32,
    ids: I32,
) -> int:
    """Write texels in reach; how many there are, of which only as many are written as there is room for.

    Of each triangle near enough only the texels in the box round its part of the ball are looked at, so
    that a triangle as large as the map costs no more than the brush covers.
    """
    across = size // SIDE
    x, y, z = float(centre[0]), float(centre[1]), float(centre[2])
    square = radius * radius
    met = leaves_within(boxes, leaves, x, y, z, square, some)
    count = 0
    for k in range(met):
        for i in range(some[k] * LEAF, min(some[k] * LEAF + LEAF, order.shape[0])):
            t = order[i]
            a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
            ax, ay, az = float(positions[a, 0]), float(positions[a, 1]), float(positions[a, 2])
            ex, ey, ez = positions[b, 0] - ax, positions[b, 1] - ay, positions[b, 2] - az
            fx, fy, fz = positions[c, 0] - ax, positions[c, 1] - ay, positions[c, 2] - az
            wx, wy, wz = x - ax, y - ay, z - az
            nx, ny, nz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
            nn = nx * nx + ny * ny + nz * nz
            u0, v0 = float(uv[a, 0]), float(uv[a, 1])
            du1, dv1 = uv[b, 0] - u0, uv[b, 1] - v0
            du2, dv2 = uv[c, 0] - u0, uv[c, 1] - v0
            area = du1 * dv2 - du2 * dv1
            if area == 0:
                continue
            low_u, high_u = min(0.0, du1, du2), max(0.0, du1, du2)
            low_v, high_v = min(0.0, dv1, dv2), max(0.0, dv1, dv2)
            if nn > 0:
                off = wx * nx + wy * ny + wz * nz
                rest = square - off * off / nn
                if rest < 0:
                    continue
                reach = np.sqrt(rest)
                # Gradients of u and v in the triangle's plane, from its metric.
                ee = ex * ex + ey * ey + ez * ez
                ef = ex * fx + ey * fy + ez * fz
                ff = fx * fx + fy * fy + fz * fz
                p1, p2 = (du1 * ff - du2 * ef) / nn, (du2 * ee - du1 * ef) / nn
                gx, gy, gz = p1 * ex + p2 * fx, p1 * ey + p2 * fy, p1 * ez + p2 * fz
                middle = gx * wx + gy * wy + gz * wz
                half = reach * np.sqrt(gx * gx + gy * gy + gz * gz) + 1e-9
                low_u, high_u = max(low_u, middle - half), min(high_u, middle + half)
                p1, p2 = (dv1 * ff - dv2 * ef) / nn, (dv2 * ee - dv1 * ef) / nn
                gx, gy, gz = p1 * ex + p2 * fx, p1 * ey + p2 * fy, p1 * ez + p2 * fz
                middle = gx * wx + gy * wy + gz * wz
                half = reach * np.sqrt(gx * gx + gy * gy + gz * gz) + 1e-9
                low_v, high_v = max(low_v, middle - half), min(high_v, middle + half)
            x0 = int(max(0.0, np.ceil((u0 + low_u) * size - 0.5 - 1e-3)))
            x1 = int(min(size - 1.0, np.floor((u0 + high_u) * size - 0.5 + 1e-3)))
            y0 = int(max(0.0, np.ceil((v0 + low_v) * size - 0.5 - 1e-3)))
            y1 = int(min(size - 1.0, np.floor((v0 + high_v) * size - 0.5 + 1e-3)))
            for ty in range(y0, y1 + 1):
                for tx in range(x0, x1 + 1):
                    number = number_at(tx, ty, across)
                    if owner[number] != t + 1:
                        continue
                    u = (tx + 0.5) / size - u0
                    v = (ty + 0.5) / size - v0
                    s, r = (u * dv2 - v * du2) / area, (v * du1 - u * dv1) / area
                    dx = s * ex + r * fx - wx
                    dy = s * ey + r * fy - wy
                    dz = s * ez + r * fz - wz
                    if dx * dx + dy * dy + dz * dz <= square:
                        if count < ids.shape[0]:
                            ids[count] = number
                        count += 1
    return count
