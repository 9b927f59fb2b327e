"""Measures of what an artist picks: groups, painted areas, lines, channels that are borrowed; and spreading."""

from dataclasses import replace
from uuid import UUID

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.special import erf
from shapes import cylinder, grid_indices, plane, sphere, thin_wall
from test_body_measures import LENDER, borrowing, moved, on, turned

from ashblend.core.bearing import bearing, toward
from ashblend.core.progress import silent
from ashblend.core.sites.mesh import Group, Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.uv_texels import UVTexels
from ashblend.core.surface.shape import Shape
from ashblend.core.survey.body import Body
from ashblend.core.survey.pieces import PiecesMeasure
from ashblend.core.survey.registry import MEASURES


def sheet(cells: int, size: float) -> Mesh:
    """cells × cells quads, size metres wide, level, at the origin; its two halves along X are groups."""
    line = np.linspace(-size / 2, size / 2, cells + 1)
    z, x = np.meshgrid(line, line, indexing="ij")
    at = np.stack([x, 0 * x, z], axis=-1).reshape(-1, 3).astype(np.float32)
    faces = grid_indices(cells + 1, cells + 1)
    right = at[faces].mean(axis=1)[:, 0] > 0
    faces = np.concatenate([faces[~right], faces[right]])
    half = int((~right).sum())
    return Mesh(at, faces, groups=(Group("west", 0, half), Group("east", half, len(faces) - half)))


# Borrow


@given(seed=st.integers(0, 2**16))
@settings(max_examples=15, deadline=None)
def test_weights_come_from_the_closest_place(seed):
    """Against trimesh's closest place: a weight that is linear in space tells where that was."""
    rng = np.random.default_rng(seed)
    lender = moved(sphere(2), turned(seed), rng.normal(size=3) * 0.1)
    mesh = Mesh(
        (rng.normal(size=(90, 3)) * 1.2).astype(np.float32),
        np.arange(90, dtype=np.uint32).reshape(-1, 3),
    )
    way = rng.normal(size=3) / 10
    told = on(
        borrowing(mesh, lender, 0.5 + lender.positions.astype(np.float64) @ way),
        "borrow",
        metres=100.0,
        facing=180.0,
    )
    known = trimesh.Trimesh(lender.positions, lender.triangles, process=False)
    closest, far, _ = trimesh.proximity.closest_point_naive(known, mesh.positions)
    np.testing.assert_allclose(told, 0.5 + closest @ way, atol=2e-5)
    limit = float(np.median(far))
    near = on(borrowing(mesh, lender, np.ones(lender.vertex_count)), "borrow", metres=limit, facing=180.0)
    sure = np.abs(far - limit) > 1e-5
    assert (near[sure] == (far < limit)[sure]).all()


def test_the_far_side_of_a_wall_lends_nothing():
    lender = thin_wall(9, 1.0, 0.02)
    normals = mesh_vertices(lender).normals
    one_side = (normals @ normals[0] > 0.9).astype(np.float64)
    facing = on(borrowing(lender, lender, one_side), "borrow", metres=10.0, facing=60.0)
    sure = np.abs(normals @ normals[0]) > 0.9
    assert (facing[sure] == one_side[sure]).all()


def test_a_channel_that_is_not_there_is_said():
    mesh = plane(3, 1.0)
    with pytest.raises(ValueError, match="not there"):
        on(Body(mesh, mesh_vertices(mesh)), "borrow")


# Groups and painted areas


def test_inside_a_group_is_its_faces_and_their_rim():
    mesh = sheet(10, 1.0)
    x = mesh.positions[:, 0]
    np.testing.assert_array_equal(on(mesh, "inside", group="east"), x > -1e-6)
    with pytest.raises(ValueError, match="north"):
        on(mesh, "inside", group="north")


@pytest.mark.parametrize("way", ["along", "straight"])
@pytest.mark.parametrize("cells", [12, 48])
def test_distance_to_a_group_is_in_metres(way, cells):
    mesh = sheet(cells, 2.0)
    told = on(mesh, "distance", of="a group", group="east", way=way)
    np.testing.assert_allclose(told, np.clip(-mesh.positions[:, 0], 0, None), atol=2e-3)


@pytest.mark.parametrize("way", ["along", "straight"])
def test_distance_to_a_painted_area(way):
    """A disc on a sheet; and round a pipe the way along is an arc (Euclid), the straight one a chord."""
    mesh = sheet(100, 4.0)
    r = np.hypot(mesh.positions[:, 0], mesh.positions[:, 2])
    told = on(
        borrowing(mesh, mesh, (r <= 0.5).astype(np.float64)),
        "distance",
        of="a painted area",
        area=LENDER,
        way=way,
    )
    np.testing.assert_allclose(told, np.clip(r - 0.5, 0, None), atol=0.05)
    assert (told[r <= 0.5] == 0).all()


def test_distance_along_goes_round_and_straight_goes_through():
    pipe = cylinder(96, 24, 1.0, 1.5)
    at = pipe.positions.astype(np.float64)
    radius = float(np.hypot(at[:, 0], at[:, 2]).max())
    angle = np.abs(np.arctan2(at[:, 2], at[:, 0]))
    body = borrowing(pipe, pipe, (angle < 0.02).astype(np.float64))
    along = on(body, "distance", of="a painted area", area=LENDER, way="along")
    straight = on(body, "distance", of="a painted area", area=LENDER, way="straight")
    side = np.hypot(at[:, 0], at[:, 2]) > radius * 0.99
    np.testing.assert_allclose(along[side], radius * angle[side], atol=0.06 * radius)
    np.testing.assert_allclose(straight[side], 2 * radius * np.sin(angle[side] / 2), atol=0.06 * radius)


def test_distance_to_an_area_on_texels_is_that_on_vertices():
    mesh = replace(sheet(40, 2.0), uvs=((sheet(40, 2.0).positions[:, [0, 2]] / 2 + 0.5).astype(np.float32),))
    texels = UVTexels(mesh, mesh_vertices(mesh).normals, 256, 0)
    r = np.hypot(mesh.positions[:, 0], mesh.positions[:, 2])
    area = borrowing(mesh, mesh, (r <= 0.5).astype(np.float64)).lent(LENDER)
    body = Body(mesh, texels, lent={LENDER: lambda: area})
    told = MEASURES["distance"].on(
        body, MEASURES["distance"].document(of="a painted area", area=LENDER), silent
    )
    at = body.positions.astype(np.float64) + body.middle
    np.testing.assert_allclose(
        told[body.all_sites], np.clip(np.hypot(at[:, 0], at[:, 2]) - 0.5, 0, None), atol=0.04
    )


def test_nothing_painted_is_said():
    mesh = sheet(4, 1.0)
    with pytest.raises(ValueError, match="Nothing is painted"):
        on(borrowing(mesh, mesh, np.zeros(mesh.vertex_count)), "distance", of="a painted area", area=LENDER)


# Lines


def test_along_a_picked_line_is_the_way_on_it():
    """A corner of two straight pieces: arc length by Pythagoras, distance to the nearer piece."""
    mesh = sheet(40, 4.0)
    x, _, z = mesh.positions.astype(np.float64).T
    line = ((-1.0, 0, 1.0), (-1.0, 0, -1.0), (1.0, 0, -1.0))
    metres = on(mesh, "along", axis="a picked line", line=line, told="metres")
    to_first = np.hypot(x + 1, np.clip(np.abs(z) - 1, 0, None))
    to_second = np.hypot(z + 1, np.clip(np.abs(x) - 1, 0, None))
    sure = np.abs(to_first - to_second) > 1e-6
    along = np.where(to_first < to_second, 1 - np.clip(z, -1, 1), 2 + np.clip(x, -1, 1) + 1)
    np.testing.assert_allclose(metres[sure], along[sure], atol=1e-5)
    np.testing.assert_allclose(on(mesh, "along", axis="a picked line", line=line), metres / 4, atol=1e-6)
    outward = on(mesh, "along", axis="a picked line", line=line, way="outward", told="metres")
    np.testing.assert_allclose(outward, np.minimum(to_first, to_second), atol=1e-5)


def test_a_line_of_one_place_twice_is_a_place():
    mesh = sheet(4, 1.0)
    told = on(mesh, "along", axis="a picked line", line=((0, 0, 0), (0, 0, 0)), way="outward", told="metres")
    np.testing.assert_allclose(told, np.linalg.norm(mesh.positions, axis=1), atol=1e-6)


@given(azimuth=st.floats(0, 359.9), tilt=st.floats(-89, 89), length=st.floats(0.01, 100))
def test_a_bearing_is_where_a_direction_leads(azimuth, tilt, length):
    told = bearing(toward(azimuth, tilt) * length)
    assert abs((told[0] - azimuth + 180) % 360 - 180) < 0.06 and told[1] == pytest.approx(tilt, abs=0.06)


# Spread


@pytest.mark.parametrize("cells", [60, 120])
def test_what_is_spread_is_the_heat_kernel(cells):
    """A step evened out to a standard deviation of σ is ½(1 + erf(x/(σ√2))) far from the rim (heat equation).

    Large steps in time keep the variance and not quite the bell: by 0.02 of the step.
    """
    mesh = sheet(cells, 6.0)
    shape = Shape(mesh)
    told = shape.measures.at(MEASURES["inside"].document(group="east", spread=0.4), shape.vertices())(
        np.arange(mesh.vertex_count, dtype=np.uint32)
    )
    x, _, z = mesh.positions.astype(np.float64).T
    inner = (np.abs(z) < 1.5) & (np.abs(x) < 2)
    grain = 6.0 / cells
    # The group holds the vertices on its rim: its border lies half a grain before it.
    wanted = 0.5 * (1 + erf((x + grain / 2) / (0.4 * np.sqrt(2))))
    np.testing.assert_allclose(told[inner], wanted[inner], atol=0.025)
    row = np.abs(z) < 1e-6
    order = np.argsort(x[row])
    at, held = x[row][order], told[row][order]
    rise, middle = np.diff(held), (at[1:] + at[:-1]) / 2 + grain / 2
    assert rise.sum() == pytest.approx(1, abs=1e-3)
    assert np.sqrt((rise * middle**2).sum()) == pytest.approx(0.4, rel=0.04)


def test_spreading_measures_nothing_anew_and_keeps_both():
    mesh = sheet(20, 1.0)
    shape, sites = Shape(mesh), None
    sites = shape.vertices()
    plain = PiecesMeasure(of="group")
    shape.measures.at(plain.model_copy(update={"spread": 0.1}), sites)
    assert shape.measures.has(plain, sites) and shape.measures.has(
        plain.model_copy(update={"spread": 0.1}), sites
    )
    shape.measures.make_room([])
    assert shape.measures.has(plain, sites)


def test_measures_that_lack_a_pick_say_so():
    for kind, settings_of in (
        ("inside", {}),
        ("borrow", {}),
        ("distance", {"of": "a group"}),
        ("distance", {"of": "a painted area"}),
        ("along", {"axis": "a picked line", "line": ((0, 0, 0),)}),
    ):
        document = MEASURES[kind].document(**settings_of)
        assert document.lacks.startswith("Pick"), kind
    assert MEASURES["distance"].document(of="a height").lacks == ""
    assert str(UUID(int=0)) in LENDER.model_dump_json()
