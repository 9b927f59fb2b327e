"""Meshes that tests are made on."""

import numpy as np

from ashblend.core.arrays import F32, U32
from ashblend.core.sites import Group, Mesh


def grid_indices(rows: int, columns: int) -> U32:
    i = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = i[:-1, :-1], i[:-1, 1:], i[1:, :-1], i[1:, 1:]
    return np.stack([np.stack([a, c, b], -1), np.stack([b, c, d], -1)], 2).reshape(-1, 3).astype(np.uint32)


def plane(side: int, length: float, *, uv: bool = False) -> Mesh:
    """A level square of side × side vertices, facing up, its first corner at the origin."""
    x = np.linspace(0, length, side, dtype=np.float32)
    zz, xx = np.meshgrid(x, x, indexing="ij")
    positions = np.stack([xx, np.zeros_like(xx), zz], axis=-1).reshape(-1, 3)
    uvs = (np.stack([xx, zz], axis=-1).reshape(-1, 2) / np.float32(length),) if uv else ()
    triangles = grid_indices(side, side)
    return Mesh(positions, triangles, uvs=uvs, groups=(Group("plane", 0, len(triangles)),))


def sphere(subdivisions: int) -> Mesh:
    """A unit icosphere."""
    import trimesh

    ball = trimesh.creation.icosphere(subdivisions)
    return Mesh(ball.vertices.astype(np.float32), ball.faces.astype(np.uint32))


def thin_wall(side: int, length: float, thickness: float) -> Mesh:
    """Two planes back to back, joined along their rims: a wall that a ball reaches through."""
    top = plane(side, length)
    below = top.positions - np.array([0, thickness, 0], np.float32)
    count = top.vertex_count
    i = np.arange(count).reshape(side, side)
    rim = np.concatenate([i[0, :-1], i[:-1, -1], i[-1, :0:-1], i[:0:-1, 0]])
    after = np.roll(rim, -1)
    skirt = np.concatenate(
        [np.stack([rim, after, rim + count], 1), np.stack([after, after + count, rim + count], 1)]
    )
    triangles = np.concatenate([top.triangles, top.triangles[:, ::-1] + count, skirt]).astype(np.uint32)
    return Mesh(np.concatenate([top.positions, below]), triangles)


def split_plane(side: int, length: float) -> Mesh:
    """A plane whose triangles share no vertices, as a faceted export has it."""
    whole = plane(side, length)
    positions: F32 = whole.positions[whole.triangles.reshape(-1)]
    return Mesh(positions, np.arange(len(positions), dtype=np.uint32).reshape(-1, 3))
