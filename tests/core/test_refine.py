"""Refinement: against trimesh's subdivision, and what must stay as it was."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from shapes import box, cylinder, dressed, plane, sphere, split_plane, vertices_inside_edges

from ashblend.core.channels.channel import Channel
from ashblend.core.channels.moved import moved_channel
from ashblend.core.prepare.refine import (
    MaskError,
    Places,
    Refined,
    TooMany,
    refine_levels,
    refine_to_mask,
    refine_to_spacing,
    vertices_after_levels,
)
from ashblend.core.sites.edges import place_edges, place_of_vertex
from ashblend.core.sites.lineage import moved
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices

MANY = 10**6


def total_area(mesh: Mesh) -> float:
    return float(mesh_vertices(mesh).areas.sum(dtype=np.float64))


def boundary_length(mesh: Mesh) -> float:
    edges = place_edges(mesh)
    at = np.empty(int(place_of_vertex(mesh).max()) + 1, np.int64)
    at[place_of_vertex(mesh)] = np.arange(mesh.vertex_count)
    ends = at[edges.ends[edges.uses == 1]]
    return float(np.linalg.norm(mesh.positions[ends[:, 0]] - mesh.positions[ends[:, 1]], axis=1).sum())


@pytest.mark.parametrize("levels", [1, 2])
@pytest.mark.parametrize("make", [lambda: sphere(1), lambda: plane(6, 1.0), box])
def test_uniform_refinement_is_trimeshs_subdivision(make, levels):
    mesh = make()
    ours = refine_levels(mesh, levels, MANY).mesh
    theirs = trimesh.Trimesh(mesh.positions.astype(float), mesh.triangles, process=False)
    for _ in range(levels):
        theirs = theirs.subdivide()
    assert len(ours.triangles) == len(theirs.faces) and ours.vertex_count == len(theirs.vertices)

    def rows(positions: np.ndarray) -> np.ndarray:
        return np.array(sorted(map(tuple, np.round(np.asarray(positions, float), 5) + 0.0)))

    np.testing.assert_allclose(rows(ours.positions), rows(theirs.vertices), atol=1e-5)
    np.testing.assert_allclose(
        rows(ours.positions[ours.triangles].mean(axis=1)), rows(theirs.triangles_center), atol=2e-5
    )
    assert vertices_after_levels(mesh, levels) == ours.vertex_count


MESHES = {
    "plane": plane(7, 1.0, uv=True),
    "faceted": split_plane(5, 1.0),
    "sphere": sphere(2),
    "cylinder": cylinder(9, 4, 0.5, 1.0),
    "box": box(),
}


def refinements(mesh: Mesh, seed: int) -> dict[str, Refined]:
    rng = np.random.default_rng(seed)
    inside = rng.random(len(mesh.triangles)) < 0.2
    spacing = float(rng.uniform(0.08, 0.3))
    at = rng.uniform(-0.3, 0.3)

    def wanted(places: Places) -> np.ndarray:
        return np.clip((places.positions @ [1.0, 0.3, 0.7] - at) / 0.1, 0, 1)

    return {
        "levels": refine_levels(mesh, 1, MANY),
        "spacing": refine_to_spacing(mesh, spacing, MANY),
        "area": refine_to_spacing(mesh, spacing / 2, MANY, inside),
        "mask": refine_to_mask(mesh, wanted, 0.15, 0.02, MANY).refined,
    }


@settings(max_examples=12)
@given(st.sampled_from(sorted(MESHES)), st.integers(0, 10**6))
def test_whatever_is_refined_keeps_its_shape_and_everything_on_it(name, seed):
    mesh = dressed(MESHES[name], seed)
    channel = Channel(
        *np.random.default_rng(seed).integers(0, 65536, (2, mesh.vertex_count)).astype(np.uint16)
    )
    channel.paint[:] = np.minimum(channel.paint, channel.cover)
    for kind, refined in refinements(mesh, seed).items():
        new = refined.mesh
        n = mesh.vertex_count
        assert total_area(new) == pytest.approx(total_area(mesh), rel=1e-4), kind
        assert boundary_length(new) == pytest.approx(boundary_length(mesh), rel=1e-4, abs=1e-6), kind
        assert vertices_inside_edges(new) == 0, f"{kind}: a vertex in the middle of an edge"
        for field in ("positions", "normals"):
            np.testing.assert_array_equal(getattr(new, field)[:n], getattr(mesh, field))
        for a, b in zip(new.uvs, mesh.uvs, strict=True):
            np.testing.assert_array_equal(a[:n], b)
        np.testing.assert_array_equal(new.colours[0].values[:n], mesh.colours[0].values)
        np.testing.assert_array_equal(new.attributes["_WIND"][:n], mesh.attributes["_WIND"])
        after = moved_channel(refined.lineage, channel)
        np.testing.assert_array_equal(after.cover[:n], channel.cover)
        np.testing.assert_array_equal(after.paint[:n], channel.paint)
        assert (after.paint <= after.cover).all()
        # Closedness: an edge inside stays shared by two.
        before_open, after_open = (int((place_edges(m).uses == 1).sum()) for m in (mesh, new))
        assert (before_open == 0) == (after_open == 0), kind
        assert (place_edges(new).uses <= 2).all() == (place_edges(mesh).uses <= 2).all()
        # Groups hold the children of their own triangles, in one run each.
        np.testing.assert_array_equal(new.group_of_face, mesh.group_of_face[refined.parent])
        assert (np.linalg.norm(new.normals, axis=1) > 0.999).all()


def test_a_linear_function_moves_exactly():
    mesh = plane(6, 1.0)
    for refined in refinements(mesh, 3).values():
        held = mesh.positions.astype(float) @ [2.0, 0, 3.0]
        np.testing.assert_allclose(
            moved(refined.lineage, held), refined.mesh.positions.astype(float) @ [2.0, 0, 3.0], atol=1e-6
        )


@settings(max_examples=15)
@given(st.floats(0.02, 0.2))
def test_refined_to_a_spacing_no_edge_is_longer(spacing):
    new = refine_to_spacing(plane(5, 1.0), spacing, MANY).mesh
    corners = new.positions[new.triangles]
    longest = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).max()
    assert longest <= spacing * 1.0001


def test_angles_never_fall_below_half_of_the_smallest():
    """Rivara (1984), Theorem: longest-edge bisection keeps angles above half of the smallest initial one."""

    def smallest(mesh: Mesh) -> float:
        corners = mesh.positions[mesh.triangles].astype(float)
        out = []
        for i in range(3):
            a, b = corners[:, (i + 1) % 3] - corners[:, i], corners[:, (i + 2) % 3] - corners[:, i]
            cosine = np.einsum("ij,ij->i", a, b) / np.linalg.norm(a, axis=1) / np.linalg.norm(b, axis=1)
            out.append(np.degrees(np.arccos(np.clip(cosine, -1, 1))).min())
        return min(out)

    mesh = sphere(1)
    inside = np.zeros(len(mesh.triangles), bool)
    inside[:3] = True
    refined = refine_to_spacing(mesh, 0.01, MANY, inside)
    assert refined.mesh.vertex_count > 2000
    assert smallest(refined.mesh) >= smallest(mesh) / 2 - 1e-3


def test_to_a_mask_the_error_is_kept_with_far_fewer_vertices():
    """A narrow border: at least three times fewer than refining everywhere for the same error."""

    def wanted(places: Places) -> np.ndarray:
        x, z = places.positions[:, 0], places.positions[:, 2]
        return np.clip((x - 0.5 + 0.1 * np.sin(9 * z)) / 0.03 + 0.5, 0, 1)

    mesh = plane(11, 1.0)
    found = refine_to_mask(mesh, wanted, 0.1, 0.002, MANY)
    assert found.worst <= 0.1
    # Looked at more finely than the refinement did.
    new = found.refined.mesh
    faces = np.arange(len(new.triangles), dtype=np.int32)
    finer = MaskError(wanted, 0.0004).of_faces(new, mesh_vertices(new).normals.astype(float), faces)
    assert finer.max() < 0.15
    assert found.uniform_vertices >= 3 * new.vertex_count
    everywhere = refine_levels(mesh, found.uniform_levels, MANY).mesh
    assert everywhere.vertex_count == found.uniform_vertices


def test_a_mask_that_the_mesh_holds_already_needs_nothing():
    mesh = plane(9, 1.0)
    found = refine_to_mask(mesh, lambda p: np.clip(p.positions[:, 0], 0, 1), 0.01, 0.001, MANY)
    assert found.refined.mesh.vertex_count == mesh.vertex_count and found.uniform_levels == 0


def test_too_many_vertices_are_refused_before_they_are_made():
    with pytest.raises(TooMany, match="at most 1,000"):
        refine_levels(plane(30, 1.0), 3, 1000)
    with pytest.raises(TooMany):
        refine_to_spacing(plane(30, 1.0), 0.002, 1000)
