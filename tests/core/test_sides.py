"""Hard borders and their reverse."""

import time
from dataclasses import fields

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapes import cylinder, dressed, plane, sphere, split_plane

from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import empty_channel
from ashblend.core.channels.moved import moved_channel
from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.mesh_pack import pack_mesh, unpack_mesh
from ashblend.core.prepare.refine import refine_levels
from ashblend.core.prepare.sides import hard_border, is_hard, soft_border, with_sides
from ashblend.core.sites.lineage import moved
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices

MESHES = {
    "plane": plane(6, 1.0, uv=True),
    "faceted": split_plane(4, 1.0),
    "sphere": sphere(1),
    "cylinder": cylinder(8, 3, 0.5, 1.0),
}


def same(a: Mesh, b: Mesh) -> bool:
    for field in fields(Mesh):
        one, two = getattr(a, field.name), getattr(b, field.name)
        if not (isinstance(one, np.ndarray) or isinstance(two, np.ndarray)):
            continue
        if one is None or two is None or not np.array_equal(one, two):
            return False
    return all(np.array_equal(x, y) for x, y in zip(a.uvs, b.uvs, strict=True))


@settings(max_examples=40)
@given(st.sampled_from(sorted(MESHES)), st.integers(0, 10**6))
def test_a_hard_border_and_its_reverse_are_the_identity(name, seed):
    mesh = dressed(MESHES[name], seed)
    faces = np.random.default_rng(seed).random(len(mesh.triangles)) < 0.4
    hard = hard_border(mesh, faces)
    back = soft_border(hard.mesh, faces)
    assert same(back.mesh, mesh)
    assert back.added == -hard.added
    channel = empty_channel(mesh.vertex_count)
    channel.cover[:] = np.random.default_rng(seed).integers(0, FULL + 1, mesh.vertex_count)
    again = moved_channel(back.lineage, moved_channel(hard.lineage, channel))
    np.testing.assert_array_equal(again.cover, channel.cover)


@settings(max_examples=30)
@given(st.sampled_from(sorted(MESHES)), st.integers(0, 10**6))
def test_nothing_is_shared_across_a_hard_border(name, seed):
    mesh = dressed(MESHES[name], seed)
    faces = np.random.default_rng(seed).random(len(mesh.triangles)) < 0.4
    new = hard_border(mesh, faces).mesh
    inside, outside = np.unique(new.triangles[faces]), np.unique(new.triangles[~faces])
    assert not np.intersect1d(inside, outside).size, "no vertex on both sides"
    weld = mesh_vertices(new).weld
    points = weld.point_of_site
    assert not np.intersect1d(points[inside], points[outside]).size, "no point on both sides"
    np.testing.assert_array_equal(new.positions[new.triangles], mesh.positions[mesh.triangles])
    assert is_hard(new, faces) == bool(faces.any())
    # Each old vertex is where it was; new ones are copies.
    assert (new.positions[: mesh.vertex_count] == mesh.positions).all()


@settings(max_examples=25)
@given(st.integers(0, 10**6))
def test_borders_made_one_after_another_and_taken_back_in_any_order_leave_the_mesh(seed):
    rng = np.random.default_rng(seed)
    mesh = dressed(plane(6, 1.0, uv=True), seed)
    groups = rng.integers(0, 4, len(mesh.triangles))
    now = mesh
    for g in (1, 2, 3):
        now = hard_border(now, groups == g).mesh
    for g in rng.permutation([1, 2, 3]):
        now = soft_border(now, groups == g).mesh
    assert now.vertex_count == mesh.vertex_count
    np.testing.assert_array_equal(now.positions[now.triangles], mesh.positions[mesh.triangles])
    np.testing.assert_array_equal(now.uvs[0][now.triangles], mesh.uvs[0][mesh.triangles])


def test_paint_of_both_sides_meets_in_the_middle_when_a_border_is_softened():
    mesh = plane(3, 1.0)
    faces = np.zeros(len(mesh.triangles), bool)
    faces[:4] = True
    hard = hard_border(mesh, faces)
    held = np.zeros(hard.mesh.vertex_count)
    held[np.unique(hard.mesh.triangles[faces])] = 1.0
    back = moved(soft_border(hard.mesh, faces).lineage, held)
    on_border = np.intersect1d(np.unique(mesh.triangles[faces]), np.unique(mesh.triangles[~faces]))
    np.testing.assert_allclose(back[on_border], 0.5)
    assert set(np.round(back, 6)) == {0.0, 0.5, 1.0}


def test_six_sides_softened_at_once_meet_in_their_mean():
    """A fan of six faces, each a side of its own; three hold 1 and three hold 0, so the middle is a half."""
    angles = np.arange(6) * np.pi / 3
    rim = np.stack([np.cos(angles), 0 * angles, np.sin(angles)], axis=1)
    positions = np.concatenate([[[0, 0, 0]], rim]).astype(np.float32)
    triangles = np.array([[0, 1 + i, 1 + (i + 1) % 6] for i in range(6)], np.uint32)
    mesh = Mesh(positions, triangles)
    apart = with_sides(mesh, np.arange(6, dtype=np.uint32)).mesh
    held = np.zeros(apart.vertex_count)
    held[np.unique(apart.triangles[:3])] = 1.0
    back = moved(with_sides(apart, np.zeros(6, np.uint32)).lineage, held)
    assert back[0] == pytest.approx(0.5, abs=1e-9)


def test_refining_with_a_hard_border_is_about_as_quick_as_without():
    mesh = plane(150, 2.0)
    faces = mesh.positions[mesh.triangles].mean(axis=1)[:, 0] < 1.0
    hard = hard_border(mesh, faces).mesh

    def seconds(of):
        began = time.process_time()
        refine_levels(of, 1, 10**7)
        return time.process_time() - began

    # Of the processor, in turn, and the least of each: what else the machine does is in neither.
    pairs = [(seconds(mesh), seconds(hard)) for _ in range(6)]
    assert min(b for _, b in pairs[1:]) < 4 * min(a for a, _ in pairs[1:])


def test_skin_does_not_cross_a_hard_border():
    mesh = plane(41, 2.0)
    faces = mesh.positions[mesh.triangles].mean(axis=1)[:, 0] < 1.0
    sites = mesh_vertices(hard_border(mesh, faces).mesh)
    channel = empty_channel(sites.count)
    stroke = Stroke(sites, channel, 0, Brush(radius=0.5, falloff="flat", strength=1))
    stroke.extend([PointerSample(position=(0.8, 0, 1.0), normal=(0, 1, 0))])
    stroke.finish()
    painted = channel.values() > 0
    far = sites.positions[:, 0] > 1.0 + 1e-6
    assert painted.any() and not painted[far].any()
    at_border = np.isclose(sites.positions[:, 0], 1.0) & (np.abs(sites.positions[:, 2] - 1.0) < 0.3)
    assert painted[at_border].any() and not painted[at_border].all(), "full on one side, empty on the other"


def test_refining_a_mesh_with_hard_borders_keeps_them_and_they_can_be_softened():
    mesh = plane(5, 1.0, uv=True)
    faces = np.zeros(len(mesh.triangles), bool)
    faces[:16] = True
    hard = hard_border(mesh, faces).mesh
    refined = refine_levels(hard, 1, 10**5)
    inside = faces[refined.parent]
    assert is_hard(refined.mesh, inside)
    softened = soft_border(refined.mesh, inside).mesh
    plain = refine_levels(mesh, 1, 10**5).mesh
    assert softened.vertex_count == plain.vertex_count
    assert mesh_vertices(softened).weld.point_count == plain.vertex_count


def test_a_mesh_survives_packing_bit_for_bit():
    mesh = dressed(sphere(1), 4)
    faces = np.zeros(len(mesh.triangles), bool)
    faces[:9] = True
    hard = hard_border(mesh, faces).mesh
    back = unpack_mesh(pack_mesh(hard))
    assert same(back, hard)
    assert back.groups == hard.groups and list(back.attributes) == ["_WIND"]
    np.testing.assert_array_equal(back.colours[0].values, hard.colours[0].values)
