"""Reach of the brush against analytic distances and the straightened paths of potpourri3d."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapes import box, cylinder, plane, sphere, thin_wall

from ashblend.core.brush.reach import Reach
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.uv_texels import UVTexels
from ashblend.core.terrain.field import HeightField
from ashblend.core.terrain.sites import CELLS, CORNERS, TerrainSites
from ashblend.core.terrain.terrain import terrain_of

UP = np.array([0.0, 1, 0])


def ball(sites, *where):
    """Points in reach and their distances."""
    patch = Reach(sites, skin=False).around(*where)
    return patch.ids, patch.distances


def skin(sites, *where):
    patch = Reach(sites, skin=True).around(*where)
    return patch.ids, patch.distances


def of_many_kinds():
    """Surfaces whose points lie in squares, on charts with seams, at edges, and anyhow; with the middle and the size of each."""
    heights = np.random.default_rng(2).normal(0, 2, (311, 530)).astype(np.float32)
    field = HeightField(terrain_of(heights, 1.5))
    tube = cylinder(64, 6, 0.5, 1.5)
    # Every triangle of a cube is a chart of its own, and all its edges are seams.
    cube = box(2)
    cell = np.array([[t % 4, t // 4] for t in range(12)])[:, None]
    uv = (cell + np.array([[0.1, 0.1], [0.9, 0.1], [0.1, 0.9]])) / 4
    apart = Mesh(
        cube.positions[cube.triangles.reshape(-1)],
        np.arange(36, dtype=np.uint32).reshape(-1, 3),
        uvs=(uv.reshape(-1, 2).astype(np.float32),),
    )
    maps = [UVTexels(mesh, mesh_vertices(mesh).normals, 512) for mesh in (tube, apart)]
    return [
        (TerrainSites(field, 311, 530, CORNERS), 400.0),
        (TerrainSites(field, 288, 513, CELLS), 400.0),
        *((texels, 1.2) for texels in maps),
        (mesh_vertices(sphere(4)), 1.0),
    ]


KINDS = of_many_kinds()


@given(number=st.integers(0, 4), seed=st.integers(0, 2**31), share=st.floats(0.02, 0.4))
@settings(max_examples=40, deadline=None)
def test_who_is_next_to_whom_is_the_same_whether_those_outside_are_asked_for_or_not(number, seed, share):
    sites, size = KINDS[number]
    around = sites.neighbourhood()
    middle = np.random.default_rng(seed).uniform(-size, size, 3) * (1, 0.3, 1)
    patch = around.ball(middle.astype(np.float32), share * size)
    for _ in range(2):
        inner, whole = around.graph(patch, False), around.graph(patch, True)
        count = patch.ids.shape[0]
        np.testing.assert_array_equal(inner.offsets, whole.offsets)
        np.testing.assert_array_equal(inner.fans, np.where(whole.fans >= count, -1, whole.fans))


@pytest.mark.parametrize(("jitter", "tolerance"), [(0.0, 0.002), (0.008, 0.015)])
def test_skin_measures_straight_distances_on_a_plane(jitter, tolerance):
    """Within 0.2 % of the radius on even triangles, 1.5 % where they are thrown about by a third of their edge."""
    mesh = plane(81, 2.0)
    moved = np.zeros_like(mesh.positions)
    moved[:, [0, 2]] = np.random.default_rng(1).uniform(-jitter, jitter, (mesh.vertex_count, 2))
    sites = mesh_vertices(Mesh(mesh.positions + moved, mesh.triangles))
    centre = np.array([1.003, 0, 1.007])
    points, distances = skin(sites, centre, UP, 0.7, 180)
    straight = np.linalg.norm(sites.point_positions[points] - centre, axis=1)
    assert np.abs(distances - straight).max() < tolerance * 0.7
    inside = np.linalg.norm(sites.point_positions - centre, axis=1) < (0.7 - 1e-6) * (1 - tolerance)
    assert set(np.flatnonzero(inside)) <= set(points)


def test_skin_follows_great_circles_on_a_sphere():
    """Stated tolerance: 1.5 % of the arc plus the error of the first ring, at 40 962 vertices."""
    sites = mesh_vertices(sphere(6))
    centre = sites.point_positions[0].astype(float)
    points, distances = skin(sites, centre, centre, 2.4, 180)
    arcs = np.arccos(np.clip(sites.point_positions[points].astype(float) @ centre, -1, 1))
    assert len(points) > 30_000
    assert np.abs(distances - arcs).max() < 0.015 * 2.4
    assert np.abs(distances - arcs).mean() < 0.004


def test_skin_agrees_with_straightened_paths():
    """potpourri3d's EdgeFlipGeodesicSolver (Sharp and Crane 2020, ACM TOG 39(6)), from shortest ways over edges.

    Its paths are straight on the mesh's own faces, and so locally shortest; on a sphere of even triangles
    there is no other that is shorter.
    """
    potpourri3d = pytest.importorskip("potpourri3d")
    mesh = sphere(4)
    sites = mesh_vertices(mesh)
    solver = potpourri3d.EdgeFlipGeodesicSolver(mesh.positions.astype(float), mesh.triangles.astype(np.int32))
    points, distances = skin(sites, mesh.positions[0].astype(float), mesh.positions[0], 1.2, 180)
    chosen = np.random.default_rng(2).choice(len(points), 40, replace=False)
    for k in chosen:
        site = sites.weld.first_sites[points[k]]
        if site == 0:
            continue
        path = solver.find_geodesic_path(v_start=0, v_end=int(site))
        length = np.linalg.norm(np.diff(path, axis=0), axis=1).sum()
        assert abs(distances[k] - length) < 0.015 * length + 1e-3


@settings(max_examples=25)
@given(st.floats(0.4, 1.6), st.floats(0.4, 1.6), st.floats(0.05, 0.35))
def test_skin_does_not_leak_through_a_wall_thinner_than_the_radius(x, z, radius):
    sites = mesh_vertices(thin_wall(41, 2.0, 0.02))
    below = sites.point_positions[:, 1] < -0.01
    centre = np.array([x, 0, z])
    points, _ = skin(sites, centre, UP, radius, 180)
    assert len(points) > 0
    assert not below[points].any()
    through, _ = ball(sites, centre, UP, radius, 180)
    assert below[through].any(), "the ball does reach through, or this test shows nothing"


def test_facing_limit_leaves_the_far_side_alone():
    sites = mesh_vertices(thin_wall(41, 2.0, 0.02))
    points, _ = ball(sites, np.array([1.0, 0, 1]), UP, 0.3, 90)
    assert (sites.point_normals[points, 1] >= -1e-6).all() and len(points) > 50


def test_room_is_left_as_it_was_found():
    """A second dab at the same place finds the same: nothing is left over from the first."""
    sites = mesh_vertices(sphere(4))
    reach = Reach(sites, skin=True)
    first = reach.around(np.array([0, 1.0, 0]), UP, 0.5, 180)
    reach.around(np.array([1.0, 0, 0]), np.array([1.0, 0, 0]), 0.9, 180)
    again = reach.around(np.array([0, 1.0, 0]), UP, 0.5, 180)
    np.testing.assert_array_equal(first.ids, again.ids)
    np.testing.assert_array_equal(first.distances, again.distances)


def test_reach_with_nothing_near():
    sites = mesh_vertices(plane(5, 1.0))
    for reach in (ball, skin):
        points, distances = reach(sites, np.array([50.0, 0, 0]), UP, 0.2, 90)
        assert len(points) == len(distances) == 0
