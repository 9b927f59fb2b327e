"""Meshes that tests are made on."""

import numpy as np

from ashblend.core.arrays import F32, U32
from ashblend.core.sites.mesh import ColourSet, Group, Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices


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


def cylinder(around: int, along: int, radius: float, length: float) -> Mesh:
    """An open cylinder round Y, unrolled into its UV square: u once around, v down. A seam at angle 0."""
    angle = np.linspace(0, 2 * np.pi, around + 1)
    v = np.linspace(0, 1, along + 1)
    vv, aa = np.meshgrid(v, angle, indexing="ij")
    # The seam's two columns lie at the same place bit for bit.
    shown = np.where(np.arange(around + 1) == around, 0.0, angle)[None] + 0 * aa
    positions = np.stack(
        [radius * np.cos(shown), length * (1 - vv), -radius * np.sin(shown)], axis=-1
    ).reshape(-1, 3)
    uv = np.stack([aa / (2 * np.pi), vv], axis=-1).reshape(-1, 2).astype(np.float32)
    normals = positions * np.array([1, 0, 1]) / radius
    return Mesh(
        positions.astype(np.float32),
        grid_indices(along + 1, around + 1),
        normals=normals.astype(np.float32),
        uvs=(uv,),
    )


def two_sheets() -> Mesh:
    """Two squares that share no edge, in two groups."""
    one = plane(5, 1.0, uv=True)
    count, faces = one.vertex_count, len(one.triangles)
    other = one.positions + np.array([0, 0.5, 0], np.float32)
    return Mesh(
        np.concatenate([one.positions, other]),
        np.concatenate([one.triangles, one.triangles + np.uint32(count)]),
        uvs=(np.concatenate([one.uvs[0], one.uvs[0]]),),
        groups=(Group("low", 0, faces), Group("high", faces, faces)),
    )


def box(size: float = 1.0) -> Mesh:
    """A closed cube of twelve triangles that share eight vertices."""
    import trimesh

    made = trimesh.creation.box((size, size, size))
    return Mesh(made.vertices.astype(np.float32), made.faces.astype(np.uint32))


def dressed(mesh: Mesh, seed: int = 0) -> Mesh:
    """The mesh with something of everything on its vertices, in two groups."""
    rng = np.random.default_rng(seed)
    n, m = mesh.vertex_count, len(mesh.triangles)
    return Mesh(
        mesh.positions,
        mesh.triangles,
        normals=mesh_vertices(mesh).normals,
        uvs=(rng.random((n, 2)).astype(np.float32), rng.random((n, 2)).astype(np.float32)),
        colours=(ColourSet("COLOR_0", rng.random((n, 4)).astype(np.float32), 8),),
        attributes={"_WIND": rng.random((n, 1)).astype(np.float32)},
        groups=(Group("first", 0, m // 2), Group("second", m // 2, m - m // 2)),
    )


def vertices_inside_edges(mesh: Mesh) -> int:
    """How many places lie in the middle of somebody's edge: T-junctions."""
    places = {p.tobytes() for p in mesh.positions}
    corners = mesh.positions[mesh.triangles]
    middles = ((corners + np.roll(corners, -1, axis=1)) * np.float32(0.5)).reshape(-1, 3)
    return sum(m.tobytes() in places for m in middles)
