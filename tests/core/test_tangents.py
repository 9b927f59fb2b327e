"""Tangent frames on plain shapes, mirrored maps and places without a map."""

from uuid import UUID

import numpy as np
import pytest
from glbs import GlbMaker
from shapes import plane, sphere

from ashblend.core.blend.compile import compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.inputs import surface_inputs
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.formats.registry import read_mesh
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
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


def normal_map_tilt(scale: float) -> float:
    """Degrees that a 30° normal map tilts the normal of a file's plane whose node is scaled."""
    maker = GlbMaker()
    flat = np.array([[0, 0, 0], [1, 0, 0], [0, 0, 1], [1, 0, 1]], np.float32) / np.float32(scale)
    up = np.tile(np.array([[0, 1, 0]], np.float32), (4, 1))
    tangent = np.tile(np.array([[1, 0, 0, 1]], np.float32), (4, 1))
    uv = flat[:, [0, 2]] * np.float32(scale)
    attributes = {
        "POSITION": maker.add(flat, bounds=True),
        "NORMAL": maker.add(up),
        "TANGENT": maker.add(tangent),
        "TEXCOORD_0": maker.add(uv),
    }
    index = maker.add(np.array([[0], [2], [1], [1], [2], [3]], np.uint16), target=34963)
    maker.document["meshes"] = [{"primitives": [{"attributes": attributes, "indices": index}]}]
    maker.document["nodes"] = [{"mesh": 0, "scale": [scale] * 3}]
    mesh = read_mesh("plane.glb", maker.bytes())
    sites = mesh_vertices(mesh)
    inputs = surface_inputs(mesh, sites.positions, sites.normals).arrays
    document = BlendDocument.model_validate(
        {"ground": {"material": str(UUID(int=1)), "mapping": {"projection": "uv"}}}
    )
    tree = compile_blend(document)
    texels = np.full((4, 4, 4), 0.5, np.float32)
    texels[..., 0] = (1 + np.sin(np.pi / 6)) / 2
    facts = {"metres_per_uv": 1.0, "origin_x": 0.0, "origin_y": 0.0, "origin_z": 0.0}
    values = parameter_values(tree.outputs(), document.model_dump(mode="json"), facts)
    normal = evaluate(tree.outputs(), inputs, values, {"surface": [texels], "detail": [texels]})["normal"]
    return float(np.degrees(np.arccos(normal[0, 1])))


@pytest.mark.parametrize("scale", [0.01, 1.0, 100.0])
def test_a_files_tangents_have_length_one_whatever_its_nodes_scale(scale):
    assert normal_map_tilt(scale) == pytest.approx(30, abs=0.01)


def test_beside_a_mirror_line_every_face_keeps_its_own_hand():
    """A plane mapped there and back: vertices on the fold are drawn twice, once for each hand, and kept once."""
    mesh = plane(9, 2.0)
    x, z = mesh.positions[:, 0], mesh.positions[:, 2]
    folded = Mesh(
        mesh.positions, mesh.triangles, uvs=(np.stack([np.abs(x - 1), z], 1).astype(np.float32) / 2,)
    )
    sites = mesh_vertices(folded)
    drawn = drawn_vertices(folded, sites.normals)
    assert drawn.site_of_extra.size == 9, "the fold's vertices, and no others"
    tangents = drawn.tangents[drawn.triangles.astype(int)]
    left = folded.positions[folded.triangles].mean(axis=1)[:, 0] < 1
    expected = np.where(left[:, None, None], [-1, 0, 0, -1], [1, 0, 0, 1])
    np.testing.assert_allclose(tangents, np.broadcast_to(expected, tangents.shape), atol=1e-6)
