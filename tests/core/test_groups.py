"""Grouping faces, and what is told about a mesh."""

import itertools

import numpy as np
import pytest
from shapes import box, cylinder, plane, sphere, two_sheets

from ashblend.core.prepare.facts import mesh_facts
from ashblend.core.prepare.grain import grain, grain_facts
from ashblend.core.prepare.groups.by_crease import ByCrease
from ashblend.core.prepare.groups.by_facing import ByFacing
from ashblend.core.prepare.groups.by_part import ByPart
from ashblend.core.prepare.groups.grouping import group_by, group_mask, group_of, merged, regrouped, renamed
from ashblend.core.prepare.sides import hard_border
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices


def faces_of(mesh: Mesh) -> set[bytes]:
    return {t.tobytes() for t in mesh.triangles}


def test_parts_are_what_hangs_together():
    mesh, _ = group_by(two_sheets(), ByPart())
    assert [g.count for g in mesh.groups] == [32, 32]
    assert faces_of(mesh) == faces_of(two_sheets())


def test_creases_part_a_box_into_six_sides_and_leave_a_sphere_whole():
    sides, origin = group_by(box(), ByCrease(angle=40))
    assert [g.count for g in sides.groups] == [2] * 6
    np.testing.assert_array_equal(box().triangles[origin], sides.triangles)
    normals = np.cross(
        sides.positions[sides.triangles[:, 1]] - sides.positions[sides.triangles[:, 0]],
        sides.positions[sides.triangles[:, 2]] - sides.positions[sides.triangles[:, 0]],
    )
    for g in sides.groups:
        run = normals[g.first : g.first + g.count]
        np.testing.assert_allclose(run[0], run[1], atol=1e-6)
    assert len(group_by(sphere(3), ByCrease(angle=40))[0].groups) == 1


def test_facing_goes_by_the_angle_to_straight_up():
    mesh, _ = group_by(sphere(4), ByFacing(angle=45))
    shares = {g.name: g.count / len(mesh.triangles) for g in mesh.groups}
    # A cap within 45° of the pole covers (1 − cos 45°)/2 of a sphere.
    cap = (1 - np.cos(np.pi / 4)) / 2
    assert shares["Facing up"] == pytest.approx(cap, abs=0.01)
    assert shares["Facing down"] == pytest.approx(cap, abs=0.01)


def test_groups_are_taken_out_merged_and_renamed_without_losing_a_face():
    mesh, _ = group_by(box(), ByCrease(angle=40))
    faces = np.zeros(12, bool)
    faces[[0, 5, 7]] = True
    chosen = {t.tobytes() for t in mesh.triangles[faces]}
    made, _ = group_of(mesh, "Chosen", faces)
    assert faces_of(made) == faces_of(mesh)
    assert {t.tobytes() for t in made.triangles[group_mask(made, ["Chosen"])]} == chosen
    assert sum(g.count for g in made.groups) == 12
    runs = [(g.first, g.count) for g in made.groups]
    assert all(a + n == b for (a, n), (b, _) in itertools.pairwise(runs)), "one run each"
    joined, _ = merged(made, ["Chosen", "Part 2"], "Both")
    assert {t.tobytes() for t in joined.triangles[group_mask(joined, ["Both"])]} >= chosen
    named = renamed(joined, "Both", "Edge")
    assert "Edge" in [g.name for g in named.groups] and "Both" not in [g.name for g in named.groups]


def test_many_small_parts_end_up_in_one_group():
    count = 100
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 0, 1]], np.float32)
    positions = np.concatenate([corners + [3 * i, 0, 0] for i in range(count)]).astype(np.float32)
    mesh = Mesh(positions, np.arange(3 * count, dtype=np.uint32).reshape(-1, 3))
    made, _ = group_by(mesh, ByPart())
    assert len(made.groups) == 64 and made.groups[-1].name == "Small parts"
    assert made.groups[-1].count == count - 63


def test_regrouping_keeps_hard_borders_on_their_faces():
    mesh = plane(4, 1.0)
    faces = np.arange(len(mesh.triangles)) % 3 == 0
    hard = hard_border(mesh, faces).mesh
    made, origin = regrouped(hard, ["a", "b"], (np.arange(len(mesh.triangles)) % 2).astype(np.int32))
    np.testing.assert_array_equal(made.sides, hard.sides[origin])


def test_grain_is_the_mean_distance_to_the_neighbours():
    side, length = 11, 2.0
    h = length / (side - 1)
    sites = mesh_vertices(plane(side, length))
    values = grain(sites)
    # Inside: four neighbours at h and two along the diagonal.
    assert values[side * side // 2] == pytest.approx(h * (4 + 2 * np.sqrt(2)) / 6, rel=1e-5)
    facts = grain_facts(values, sites.areas)
    assert facts.fine <= facts.median <= facts.coarse <= facts.worst


def test_facts_count_what_there_is():
    mesh = cylinder(16, 4, 0.5, 1.0)
    facts = mesh_facts(mesh, mesh_vertices(mesh))
    assert facts["vertices"] == 17 * 5 and facts["points"] == 16 * 5
    assert facts["seams"] == 4, "one edge for each ring between"
    assert facts["area"] == pytest.approx(2 * np.pi * 0.5, rel=0.02)
    assert {s["name"]: s["bytes"] for s in facts["streams"]} == {"Position": 12, "Normal": 12, "UV set 1": 8}
    assert facts["index_bytes"] == len(mesh.triangles) * 6
