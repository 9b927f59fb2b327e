"""Weld, grid and mesh vertices against brute force."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from shapes import plane, sphere, split_plane

from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.weld import weld_positions

coordinates = hnp.arrays(
    np.float32,
    st.tuples(st.integers(1, 60), st.just(3)),
    elements=st.sampled_from([-1.5, -0.0, 0.0, 0.25, 3]),
)


@given(coordinates)
def test_weld_links_exactly_the_sites_that_share_a_position(positions):
    weld = weld_positions(positions)
    same = (positions[:, None] == positions[None]).all(axis=2)
    linked = weld.point_of_site[:, None] == weld.point_of_site[None]
    np.testing.assert_array_equal(same, linked)
    for point in range(weld.point_count):
        members = weld.sites[weld.offsets[point] : weld.offsets[point + 1]]
        np.testing.assert_array_equal(members, np.flatnonzero(weld.point_of_site == point))


@given(
    hnp.arrays(np.float32, st.tuples(st.integers(3, 200), st.just(3)), elements=st.floats(-4, 4, width=32)),
    st.floats(0.01, 6),
    hnp.arrays(np.float32, 3, elements=st.floats(-5, 5, width=32)),
)
def test_within_equals_brute_force(positions, radius, centre):
    triangle = np.array([[0, 1, 2]], np.uint32)
    from ashblend.core.sites.mesh import Mesh

    sites = mesh_vertices(Mesh(positions, triangle))
    p = sites.point_positions
    d2 = np.zeros(len(p), np.float32)
    for axis in range(3):
        d2 += (p[:, axis] - centre[axis]) ** 2
    # On the rim, the sum's order of rounding may decide either way.
    clear = np.abs(d2 - radius * radius) > 1e-5 * max(1, radius * radius)
    expected = np.flatnonzero((d2 <= radius * radius) & clear)
    found = sites.neighbourhood().ball(centre, radius).ids
    assert len(set(found.tolist())) == len(found)
    assert set(expected.tolist()) <= set(found.tolist())
    assert set(found[clear[found]].tolist()) == set(expected.tolist())


def test_areas_sum_to_the_surface_and_normals_point_out():
    ball = mesh_vertices(sphere(4))
    # An inscribed icosphere of 5 120 faces lacks 0.2 % of 4π.
    assert abs(ball.areas.sum() / (4 * np.pi) - 1) < 0.004
    assert ((ball.normals * ball.positions).sum(axis=1) > 0.999).all()


def test_a_faceted_mesh_has_the_same_points_as_a_smooth_one():
    smooth, faceted = mesh_vertices(plane(9, 1.0)), mesh_vertices(split_plane(9, 1.0))
    assert faceted.count == 6 * 64 and faceted.weld.point_count == smooth.weld.point_count == 81
    offsets, neighbours = smooth.neighbours()
    assert sorted(neighbours[offsets[40] : offsets[41]].tolist()) == [31, 32, 39, 41, 48, 49]
