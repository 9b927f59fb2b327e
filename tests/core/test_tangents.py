"""Tangent frames on plain shapes, mirrored maps and places without a map."""

import numpy as np
import pytest
from shapes import plane, sphere

from ashblend.core.sites import Mesh, mesh_vertices
from ashblend.core.sites.tangents import drawn_vertices, metres_per_uv


def frame(mesh: Mesh):
    sites = mesh_vertices(mesh)
    tangents = drawn_vertices(mesh, sites.normals).tangents[: sites.count]
    up_the_image = np.cross(sites.normals, tangents[:, :3]) * tangents[:, 3:]
    return sites, tangents, up_the_image


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("turn", [0.0, 0.7])
def test_a_plane_whose_map_is_turned_and_mirrored(mirrored, turn):
    mesh = plane(9, 2.0)
    x, z = mesh.positions[:, 0], mesh.positions[:, 2]
    c, s = np.cos(turn), np.sin(turn)
    u, v = c * x + s * z, -s * x + c * z
    if mirrored:
        u = -u
    _, tangents, up = frame(
        Mesh(mesh.positions, mesh.triangles, uvs=(np.stack([u, v], 1).astype(np.float32) / 4,))
    )
    sign = -1 if mirrored else 1
    np.testing.assert_allclose(tangents[:, :3], np.tile([sign * c, 0, sign * s], (81, 1)), atol=1e-5)
    # v runs down the image, so up the image is against the way in which v grows.
    np.testing.assert_allclose(up, np.tile([s, 0, -c], (81, 1)), atol=1e-5)


def test_a_sphere_mapped_by_longitude():
    mesh = sphere(4)
    p = mesh.positions.astype(float)
    keep = np.abs(p[:, 1]) < 0.8
    uv = np.stack([np.arctan2(p[:, 0], p[:, 2]) / (2 * np.pi), np.arccos(p[:, 1]) / np.pi], 1)
    sites, tangents, _ = frame(Mesh(mesh.positions, mesh.triangles, uvs=(uv.astype(np.float32),)))
    east = np.stack([p[:, 2], np.zeros(len(p)), -p[:, 0]], 1)
    east /= np.maximum(np.linalg.norm(east, axis=1, keepdims=True), 1e-9)
    away_from_seam = keep & (np.abs(uv[:, 0]) < 0.45)
    assert (tangents[away_from_seam, :3] * east[away_from_seam]).sum(1).min() > 0.99
    assert np.abs((tangents[:, :3] * sites.normals).sum(1)).max() < 1e-4


def test_without_a_usable_map_the_frame_is_still_a_frame():
    mesh = sphere(2)
    flat = Mesh(mesh.positions, mesh.triangles, uvs=(np.zeros((mesh.vertex_count, 2), np.float32),))
    sites, tangents, _ = frame(flat)
    np.testing.assert_allclose(np.linalg.norm(tangents[:, :3], axis=1), 1, atol=1e-5)
    assert np.abs((tangents[:, :3] * sites.normals).sum(1)).max() < 1e-5
    assert metres_per_uv(flat) == 1.0
    np.testing.assert_array_equal(drawn_vertices(mesh, sites.normals).tangents[0], [1, 0, 0, 1])


def test_texel_density_is_edge_length_over_map_length():
    assert metres_per_uv(plane(5, 3.0, uv=True)) == pytest.approx(3.0, rel=1e-6)
