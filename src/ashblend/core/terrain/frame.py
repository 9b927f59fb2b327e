"""The frame: a coarse mesh over a terrain, in whose triangles places are told.

A place on a surface is a triangle and three shares of its corners, whatever the surface is made of. A terrain's
triangles are those of a small grid over it; heights and normals at a place come from the heights themselves, so
nothing depends on how coarse the frame is. It is also the mesh that facts, pictures and exports begin with.
"""

from dataclasses import dataclass, field

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.sites.mesh import Group, Mesh
from ashblend.core.sites.patch import Places
from ashblend.core.terrain.lie import lie_of
from ashblend.core.terrain.terrain import Terrain

MOST_CELLS = 128


@dataclass(frozen=True)
class Frame:
    """rows, cols: vertices. Cells are cut from lower left to upper right; two triangles each, row by row."""

    terrain: Terrain

    @property
    def rows(self) -> int:
        return min(self.terrain.rows - 1, MOST_CELLS) + 1

    @property
    def cols(self) -> int:
        return min(self.terrain.cols - 1, MOST_CELLS) + 1

    @property
    def triangles(self) -> int:
        return 2 * (self.rows - 1) * (self.cols - 1)

    @property
    def vertices(self) -> F64:
        """(rows · cols, 2) where its vertices lie over the whole terrain."""
        across, down = np.linspace(0, 1, self.cols), np.linspace(0, 1, self.rows)
        return np.stack(np.meshgrid(across, down), axis=-1).reshape(-1, 2)

    def places(self, over: F64) -> Places:
        """Places (k, 2) over the whole terrain, 0..1 across and down, as places on the frame."""
        counts = np.array([self.cols - 1, self.rows - 1], np.float64)
        at = np.clip(over, 0, 1) * counts
        cell = np.minimum(np.floor(at), counts - 1)
        x, y = (at - cell).T
        first = 2 * (cell[:, 1] * counts[0] + cell[:, 0])
        beyond = x + y > 1
        near = np.stack([1 - x - y, y, x], axis=1)
        far = np.stack([1 - y, 1 - x, x + y - 1], axis=1)
        return Places((first + beyond).astype(np.int32), np.where(beyond[:, None], far, near))

    def over(self, places: Places) -> F64:
        """The way back: (k, 2) over the whole terrain."""
        face = np.maximum(places.faces, 0).astype(np.int64)
        cell, beyond = face // 2, (face % 2).astype(np.float64)
        row, col = cell // (self.cols - 1), cell % (self.cols - 1)
        _, b, c = places.shares.T
        # Corners: the near triangle's are (0, 0), (0, 1), (1, 0), the far one's (1, 0), (0, 1), (1, 1).
        x = np.where(beyond > 0, 1 - b, c)
        y = np.where(beyond > 0, b + c, b)
        return np.stack([(col + x) / (self.cols - 1), (row + y) / (self.rows - 1)], axis=1)

    def mesh(self, heights: np.ndarray) -> Mesh:
        """Itself over heights (rows, cols of the terrain) in metres."""
        return grid_mesh(self.terrain, heights, self.vertices, self.rows, self.cols)


def grid_mesh(terrain: Terrain, heights: np.ndarray, over: F64, rows: int, cols: int) -> Mesh:
    """rows × cols vertices at places (rows · cols, 2) over a terrain, with its heights and normals."""
    corners = over * np.array([terrain.cols - 1, terrain.rows - 1])
    tall, normals = lie_of(heights, terrain.spacing, corners)
    positions = np.stack(
        [(over[:, 0] - 0.5) * terrain.width, tall, (over[:, 1] - 0.5) * terrain.depth], axis=1
    ).astype(np.float32)
    i = np.arange(rows * cols, dtype=np.uint32).reshape(rows, cols)
    a, b, c, d = i[:-1, :-1], i[:-1, 1:], i[1:, :-1], i[1:, 1:]
    triangles = np.stack([np.stack([a, c, b], -1), np.stack([b, c, d], -1)], axis=2).reshape(-1, 3)
    return Mesh(
        positions,
        np.ascontiguousarray(triangles),
        normals=normals.astype(np.float32),
        uvs=(over.astype(np.float32),),
        groups=(Group("Terrain", 0, triangles.shape[0]),),
    )


@dataclass(frozen=True, eq=False)
class TerrainMesh(Mesh):
    """A frame with the terrain that it lies over."""

    terrain: Terrain = field(kw_only=True)


def terrain_mesh(terrain: Terrain) -> TerrainMesh:
    """The mesh that stands for a terrain in a surface's state."""
    mesh = Frame(terrain).mesh(terrain.heights)
    return TerrainMesh(
        mesh.positions,
        mesh.triangles,
        normals=mesh.normals,
        uvs=mesh.uvs,
        groups=mesh.groups,
        terrain=terrain,
    )
