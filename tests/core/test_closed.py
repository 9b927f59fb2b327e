"""The occlusion of the picture: against configuration factors, on meshes and on terrain."""

import numpy as np
import pytest

from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.closed import closed, closed_ground
from ashblend.core.surface.shapes import shape_of
from ashblend.core.terrain.frame import terrain_mesh
from ashblend.core.terrain.terrain import terrain_of


def corner(count: int) -> Mesh:
    """Two squares of one metre that meet at a right angle, each of its own vertices."""
    u, v = (a.reshape(-1) for a in np.meshgrid(np.linspace(0, 1, count), np.linspace(0, 1, count)))
    floor, wall = np.stack([u, 0 * u, v], 1), np.stack([0 * u, u, v], 1)
    row, col = (a.reshape(-1) for a in np.meshgrid(np.arange(count - 1), np.arange(count - 1)))
    a = (row * count + col).astype(np.uint32)
    b, c, d = a + 1, a + count, a + count + 1
    one = np.concatenate([np.stack([a, c, b], 1), np.stack([b, c, d], 1)])
    other = one[:, ::-1] + count * count
    normals = np.repeat(np.array([[0, 1.0, 0], [1.0, 0, 0]]), count * count, axis=0)
    return Mesh(
        np.concatenate([floor, wall]).astype(np.float32),
        np.concatenate([one, other]).astype(np.uint32),
        normals=normals.astype(np.float32),
    )


def test_half_of_the_sky_is_hidden_in_a_corner_and_none_far_from_it():
    """Howell's catalogue, C-9: a long wall hides half of what a place at its foot sees; here it ends after 0.43 m."""
    mesh = corner(41)
    hidden = closed(shape_of(mesh)) / 255
    x, z = mesh.positions[:1681, 0], mesh.positions[:1681, 2]
    inner = (z > 0.45) & (z < 0.55)
    foot, far = hidden[:1681][inner & (x > 0.02) & (x < 0.06)], hidden[:1681][inner & (x > 0.6)]
    assert 0.3 < foot.mean() < 0.55 and far.max() == 0
    along = [hidden[:1681][inner & (np.abs(x - at) < 0.02)].mean() for at in (0.05, 0.15, 0.3)]
    assert np.all(np.diff(along) < 0)


@pytest.mark.parametrize(("rows", "cols", "spacing", "high"), [(65, 129, 2.0, 30.0), (300, 280, 0.5, 12.0)])
def test_a_valley_hides_more_of_the_sky_than_a_plain(rows, cols, spacing, high):
    x = (np.arange(cols) - (cols - 1) / 2) * spacing
    ridge = high * np.exp(-((np.abs(x) - 0.22 * x[-1]) ** 2) / (0.004 * x[-1] ** 2))
    terrain = terrain_of(np.broadcast_to(ridge, (rows, cols)).astype(np.float32).copy(), spacing)
    hidden = closed_ground(shape_of(terrain_mesh(terrain))) / 255
    assert hidden.shape == (min(rows, 257), min(cols, 257))
    middle = hidden[hidden.shape[0] // 2]
    # Both sides are alike, the middle lies between the ridges, and outside of them it is open.
    assert np.abs(middle - middle[::-1]).mean() < 0.04
    assert middle[hidden.shape[1] // 2] > 0.15 > 0.05 > middle[[2, -3]].max()
