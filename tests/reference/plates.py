"""Plates cut into triangles in several ways, for what must not depend on it."""

import numpy as np
from shapes import grid_indices

from ashblend.core.sites.mesh import Mesh

CUTS = ("square", "along", "across", "scattered")


def cut_up(how: str, side: int, length: float = 4.0) -> Mesh:
    """A level plate of about side² points, cut into squares, long triangles along or across, or from scattered points."""
    from scipy.spatial import Delaunay

    if how != "scattered":
        rows, cols = {
            "square": (side, side),
            "along": (side // 2, 2 * side),
            "across": (2 * side, side // 2),
        }[how]
        z, x = np.meshgrid(np.linspace(0, length, rows), np.linspace(0, length, cols), indexing="ij")
        at = np.stack([x, 0 * x, z], axis=-1).reshape(-1, 3).astype(np.float32)
        return Mesh(at, grid_indices(rows, cols))
    rng = np.random.default_rng(side)
    rim = np.linspace(0, 1, side)
    edge = [
        np.stack(c, axis=1) for c in ((rim, 0 * rim), (rim, 0 * rim + 1), (0 * rim, rim), (0 * rim + 1, rim))
    ]
    flat = (
        np.unique(np.concatenate([*edge, rng.uniform(0.2 / side, 1 - 0.2 / side, (side * side, 2))]), axis=0)
        * length
    )
    triangles = Delaunay(flat).simplices
    at = np.stack([flat[:, 0], 0 * flat[:, 0], flat[:, 1]], axis=1)
    a, b, c = (at[triangles[:, k]] for k in range(3))
    down = np.cross(b - a, c - a)[:, 1] < 0
    triangles[down] = triangles[down][:, ::-1]
    return Mesh(at.astype(np.float32), triangles.astype(np.uint32))


def bent(flat: Mesh, height) -> Mesh:
    """The plate round the origin, lifted by height(x, z)."""
    at = flat.positions.astype(np.float64) - [2, 0, 2]
    at[:, 1] = height(at[:, 0], at[:, 2])
    return Mesh(at.astype(np.float32), flat.triangles)


def folded(flat: Mesh, degrees: float) -> tuple[Mesh, np.ndarray, np.ndarray]:
    """The plate folded down along a line through its middle, and where its points lay."""
    at = flat.positions.astype(np.float64) - [2, 0, 2]
    half, x, z = np.radians(degrees / 2), at[:, 0], at[:, 2]
    lain = np.stack([x * np.cos(half), -np.abs(x) * np.sin(half), z], axis=1)
    return Mesh(lain.astype(np.float32), flat.triangles), x, z


def bevelled_edge(strips: int, radius: float, degrees: float = 90.0, cuts: int = 8) -> tuple[Mesh, int]:
    """Two plates of 1 m that meet in a bevel of so many strips, 2 m along z, and how many points a row has."""
    half = np.radians(degrees) / 2
    turn = np.linspace(-half, half, strips + 1)
    arc = np.stack([np.sin(turn), np.cos(turn) - 1], axis=1) * radius
    off = np.linspace(0, 1, cuts + 1)[1:, None] * np.array([np.cos(half), -np.sin(half)])
    section = np.concatenate([(arc[0] + off * [-1, 1])[::-1], arc, arc[-1] + off])
    z, k = np.meshgrid(np.linspace(0, 2, 2 * cuts + 1), np.arange(len(section)), indexing="ij")
    at = np.stack([section[k][..., 0], section[k][..., 1], z], axis=-1).reshape(-1, 3)
    return Mesh(at.astype(np.float32), grid_indices(2 * cuts + 1, len(section))), len(section)
