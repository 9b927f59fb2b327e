"""Carrying paint over, closest places, and coarser meshes."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from shapes import cylinder, dressed, plane, sphere, thin_wall, vertices_inside_edges

from ashblend.core.prepare.carry import carry_over, carry_report
from ashblend.core.prepare.decimate import decimate
from ashblend.core.prepare.refine import refine_levels
from ashblend.core.prepare.unwrap import unwrap
from ashblend.core.sites.closest import ClosestTree
from ashblend.core.sites.lineage import moved
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.protocol import windows
from ashblend.core.sites.uv_texels import UVTexels


@settings(max_examples=10)
@given(st.integers(0, 10**6))
def test_closest_places_are_trimeshs(seed):
    rng = np.random.default_rng(seed)
    mesh = sphere(2)
    queries = rng.normal(size=(60, 3)) * rng.uniform(0.2, 2)
    hits = ClosestTree(mesh.positions, mesh.triangles).closest(queries)
    # Its tree needs another package; here every triangle is asked for every query.
    corners = np.tile(mesh.positions[mesh.triangles].astype(float), (len(queries), 1, 1))
    each = np.repeat(queries, len(mesh.triangles), axis=0)
    places = trimesh.triangles.closest_point(corners, each).reshape(len(queries), -1, 3)
    away = np.linalg.norm(places - queries[:, None], axis=2)
    distance = away.min(axis=1)
    theirs = places[np.arange(len(queries)), away.argmin(axis=1)]
    ours = np.einsum("kc,kcx->kx", hits.shares, mesh.positions[mesh.triangles[hits.faces]].astype(float))
    np.testing.assert_allclose(hits.distances, distance, atol=1e-6)
    np.testing.assert_allclose(np.linalg.norm(ours - queries, axis=1), hits.distances, atol=1e-6)
    np.testing.assert_allclose(ours, theirs, atol=1e-5)
    np.testing.assert_allclose(hits.shares.sum(axis=1), 1)


@settings(max_examples=20)
@given(st.integers(0, 10**6))
def test_a_linear_function_carries_over_exactly_on_planes(seed):
    rng = np.random.default_rng(seed)
    old = plane(int(rng.integers(3, 12)), 1.0)
    new = plane(int(rng.integers(3, 20)), 1.0)
    linear = rng.normal(size=3)
    carried = carry_over(old, new.positions, mesh_vertices(new).normals)
    np.testing.assert_allclose(
        moved(carried.lineage, old.positions.astype(float) @ linear),
        new.positions.astype(float) @ linear,
        atol=1e-6,
    )
    assert carried.distances.max() < 1e-6 and not carried.turned.any()


def test_a_linear_function_carries_over_to_a_sphere_within_the_chord():
    """An edge of length e lies up to e²/8 under a unit sphere; the function moves by no more than that."""
    old, new = sphere(3), sphere(4)
    edge = np.linalg.norm(np.diff(old.positions[old.triangles][:, :2], axis=1), axis=2).max()
    linear = np.array([0.6, -0.5, 0.62])
    carried = carry_over(old, new.positions, mesh_vertices(new).normals)
    off = np.abs(
        moved(carried.lineage, old.positions.astype(float) @ linear) - new.positions.astype(float) @ linear
    )
    # A triangle's middle lies a little deeper than an edge's.
    bound = edge**2 / 6 * np.linalg.norm(linear)
    assert off.max() < bound
    assert carried.distances.max() < edge**2 / 6
    report = carry_report(carried, 0.1)
    assert report.far == 0 and report.worst == carried.distances.max()


def test_paint_does_not_jump_through_a_thin_wall():
    wall = thin_wall(21, 1.0, 0.01)
    half = 21 * 21
    held = np.zeros(wall.vertex_count)
    held[:half] = 1.0  # the upper side is painted, the lower is not
    new = thin_wall(33, 1.0, 0.012)
    sites = mesh_vertices(new)
    # Away from the rim, where vertices are shared and normals turn.
    inner = np.abs(new.positions[:, [0, 2]] - 0.5).max(axis=1) < 0.42
    moved_by_facing = moved(carry_over(wall, new.positions, sites.normals).lineage, held)
    upper = inner & (np.arange(new.vertex_count) < 33 * 33)
    lower = inner & ~upper
    assert (moved_by_facing[upper] > 0.999).all() and (moved_by_facing[lower] < 0.001).all()
    moved_anyhow = moved(carry_over(wall, new.positions - [0, 0.011, 0], sites.normals, 180.0).lineage, held)
    assert (moved_anyhow[upper] < 0.5).any(), "without the check some of it would have jumped"


def test_what_has_nothing_facing_it_is_told_and_takes_the_closest():
    old = plane(5, 1.0)
    new = Mesh(old.positions, old.triangles[:, ::-1].copy())
    carried = carry_over(old, new.positions, mesh_vertices(new).normals)
    assert carried.turned.all()
    np.testing.assert_allclose(moved(carried.lineage, old.positions[:, 0]), new.positions[:, 0], atol=1e-6)


@pytest.mark.parametrize("share", [0.5, 0.2])
def test_a_decimated_sphere_stays_a_closed_sphere(share):
    mesh = dressed(sphere(4), 1)
    wanted = int(len(mesh.triangles) * share)
    made = decimate(mesh, wanted).mesh
    assert abs(len(made.triangles) - wanted) <= 0.05 * wanted + 8
    radius = np.linalg.norm(made.positions, axis=1)
    assert radius.min() > 0.97 and radius.max() < 1.03
    closed = trimesh.Trimesh(made.positions, made.triangles, process=True)
    assert closed.is_watertight, "no seam is cracked"
    assert sum(g.count for g in made.groups) == len(made.triangles)


def test_a_decimated_map_keeps_its_seam():
    mesh = refine_levels(cylinder(32, 8, 0.5, 1.0), 1, 10**5).mesh
    made = decimate(mesh, len(mesh.triangles) // 3).mesh
    assert len(made.triangles) < len(mesh.triangles) / 2.5
    corners = made.uvs[0][made.triangles]
    # A triangle that ran over the seam would be as wide as the map.
    assert (corners[:, :, 0].max(axis=1) - corners[:, :, 0].min(axis=1)).max() < 0.5
    around = np.arctan2(-made.positions[:, 2], made.positions[:, 0]) / (2 * np.pi) % 1
    off = np.abs((made.uvs[0][:, 0] - around + 0.5) % 1 - 0.5)
    assert off.max() < 0.03
    assert mesh_vertices(made).weld.point_count < made.vertex_count, (
        "vertices are split along the seam only there"
    )


def test_unwrapping_gives_every_face_room_in_the_map():
    mesh = dressed(sphere(2), 2)
    plain = Mesh(mesh.positions, mesh.triangles, attributes=mesh.attributes)
    made = unwrap(plain)
    assert made.mesh.uvs[0].min() >= 0 and made.mesh.uvs[0].max() <= 1
    np.testing.assert_array_equal(made.mesh.positions[made.mesh.triangles], mesh.positions[mesh.triangles])
    np.testing.assert_array_equal(
        moved(made.lineage, mesh.attributes["_WIND"]).astype(np.float32), made.mesh.attributes["_WIND"]
    )
    texels = UVTexels(made.mesh, mesh_vertices(made.mesh).normals, 512)
    assert sum(w.areas.sum() for w in windows(texels)) == pytest.approx(
        mesh_vertices(mesh).areas.sum(), rel=0.03
    )
    assert vertices_inside_edges(made.mesh) == 0
