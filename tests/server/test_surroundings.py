"""What stands around a surface: where it stands, whose it may be, and what becomes of it."""

from uuid import UUID

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import Sample, small_project, small_terrain
from server.sockets import window
from server.test_copies import copied
from server.test_terrains import ground_set, hills, stroke

from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.neighbours import placed_corners
from ashblend.core.surface.over import height_over


def around(client, surface) -> dict:
    return client.get(f"/api/surfaces/{surface}/surroundings").raise_for_status().json()


def put(client, surface, revision: int, *neighbours: dict):
    return client.put(
        f"/api/surfaces/{surface}/surroundings",
        json={"revision": revision, "document": {"neighbours": list(neighbours)}},
    )


@pytest.fixture
def ground(client, db) -> tuple[Sample, str]:
    """A terrain, and a plate in its project."""
    sample = small_terrain(client, db, hills())
    inside = client.get(f"/api/projects/{sample.project}").json()["surfaces"]
    return sample, next(s["id"] for s in inside if s["id"] != str(sample.surface))


def test_a_neighbour_stands_on_the_ground_and_goes_with_it(client, ground):
    sample, plate = ground
    assert list(around(client, sample.surface)["others"]) == [plate]
    with window(client, sample) as talk:
        told = put(client, sample.surface, 1, {"surface": plate, "x": 10, "z": 4, "above": 0.5, "turn": 30})
        # Column 48 + 10, row 32 + 4 of corners a metre apart.
        assert told.json()["places"] == [[10, pytest.approx(hills()[36, 58] + 0.5, abs=1e-5), 4]]
        assert talk.until("document")["kind"] == "surroundings"
        height = told.json()["places"][0][1]
        stroke(talk, ground_set(client, sample), [10.0, height, 4.0], act="add", strength=1)
        talk.until("statistics")
    assert around(client, sample.surface)["places"][0][1] > height + 0.05
    # Beside the terrain it stands on nothing.
    far = put(client, sample.surface, 2, {"surface": plate, "x": 500, "above": 2}).json()
    assert far["places"] == [[500, 2, 0]]
    # Or where the two files have one another.
    own = put(client, sample.surface, 3, {"surface": plate, "x": 10, "above": 2, "own": True}).json()
    assert own["places"] == [[0, 0, 0]]


def test_what_is_stale_foreign_or_itself_is_refused(client, db, ground):
    sample, plate = ground
    put(client, sample.surface, 1, {"surface": plate}).raise_for_status()
    late = put(client, sample.surface, 1)
    assert late.status_code == 409 and "elsewhere" in late.json()["problem"]
    stranger = small_project(db).surface
    for ident in (stranger, sample.surface, UUID(int=5)):
        assert "project" in put(client, sample.surface, 2, {"surface": str(ident)}).json()["problem"]
    for wrong in ({"x": 1e9}, {"turn": 1e5}, {"x": "NaN"}, {"more": 1}):
        assert put(client, sample.surface, 2, {"surface": plate, **wrong}).status_code == 422
    assert put(client, sample.surface, 2, *[{"surface": plate}] * 17).status_code == 422
    assert len(around(client, sample.surface)["document"]["neighbours"]) == 1


def test_it_goes_to_the_bin_and_comes_back_and_is_copied_with_the_project(client, db, ground):
    sample, plate = ground
    put(client, sample.surface, 1, {"surface": plate, "x": 3}).raise_for_status()
    made = client.post(f"/api/projects/{sample.project}/copy", json={"name": "Once more"}).json()
    inside = client.get(f"/api/projects/{made['id']}").json()["surfaces"]
    twins = {s["id"] for s in inside}
    [terrain] = [s for s in twins if around(client, s)["document"]["neighbours"]]
    neighbour = around(client, terrain)["document"]["neighbours"][0]
    assert neighbour["x"] == 3 and neighbour["surface"] in twins - {terrain}
    client.delete(f"/api/surfaces/{plate}").raise_for_status()
    assert around(client, sample.surface)["document"]["neighbours"] == []
    assert around(client, terrain)["document"]["neighbours"] != []
    client.post(f"/api/bin/surface/{plate}/restore").raise_for_status()
    assert around(client, sample.surface)["document"]["neighbours"][0]["x"] == 3


def test_values_are_those_that_a_window_is_told(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 0.5)])
        told = client.get(f"/api/surfaces/{sample.surface}/values").content
        length = int.from_bytes(told[:4], "little")
        painted = talk.values.copy()
        talk.values[:] = 0
        talk._apply(told[4 : 4 + length])
        assert (talk.values == painted).all() and painted.any()


@settings(max_examples=40, deadline=None)
@given(st.floats(-0.9, 0.9), st.floats(-0.9, 0.9), st.floats(-3, 3), st.floats(-3, 3))
def test_the_top_over_a_place_is_that_of_the_plane_there(x, z, a, b):
    corners = np.array([[-1, 0, -1], [1, 0, -1], [1, 0, 1], [-1, 0, 1]], float)
    corners[:, 1] = a * corners[:, 0] + b * corners[:, 2]
    below = corners - [0, 10, 0]
    triangles = np.array([[0, 1, 2], [0, 2, 3], [4, 6, 5], [4, 7, 6]], np.uint32)
    found = height_over(np.concatenate([corners, below]), triangles, x, z)
    assert found == pytest.approx(a * x + b * z, abs=1e-9)
    assert height_over(corners, triangles[:2], x + 2.5, z) is None


def test_a_copy_alone_keeps_nothing_of_what_was_not_there(client, db):
    twin = copied(client, small_project(db))
    assert around(client, twin.surface)["document"]["neighbours"] == []


def test_a_neighbours_corners_are_turned_from_z_towards_x_and_stood_at_its_place():
    mesh = Mesh(np.array([[0, 0, 1], [1, 0, 0], [0, 2, 0]], np.float32), np.array([[0, 1, 2]], np.uint32))
    placed = placed_corners(mesh, (10.0, 20.0, 30.0), 90.0)
    np.testing.assert_allclose(placed[0], [[11, 20, 30], [10, 20, 29], [10, 22, 30]], atol=1e-6)
