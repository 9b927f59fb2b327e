"""A terrain under an open surface: heights as they are now, and what follows from them."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, I64, U16, U32
from ashblend.core.blend.inputs import SurfaceInputs, surface_inputs
from ashblend.core.sites.layout import SIDE
from ashblend.core.sites.mesh_vertices import MeshVertices, mesh_vertices
from ashblend.core.sites.patch import Places
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.ground_measures import MOST_EDGE, GroundMeasures, grid_over
from ashblend.core.surface.measures import Measures
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import HeightsPart, Shape
from ashblend.core.terrain.field import HeightField
from ashblend.core.terrain.frame import Frame, TerrainMesh
from ashblend.core.terrain.lie import lie_of
from ashblend.core.terrain.lie_glsl import LIE
from ashblend.core.terrain.sites import CORNERS, TerrainSites
from ashblend.core.terrain.terrain import Terrain


@dataclass(frozen=True)
class TerrainInputs(SurfaceInputs):
    """Inputs of the frame's vertices; between them, those of the heights themselves."""

    frame: Frame
    heights: F32

    @property
    def head(self) -> dict[str, Any]:
        terrain = self.frame.terrain
        return {
            "terrain": {
                "rows": terrain.rows,
                "cols": terrain.cols,
                "spacing": terrain.spacing,
                "frame_rows": self.frame.rows,
                "frame_cols": self.frame.cols,
                "glsl": LIE,
            }
        }

    def on_triangles(self, triangles: NDArray[np.integer], shares: F64) -> dict[str, F64]:
        over = self.frame.over(Places(np.asarray(triangles, np.int32), shares))
        return inputs_at(self.frame, self.heights, over, self.origin)


def inputs_at(frame: Frame, heights: F32, over: F64, origin: F64) -> dict[str, F64]:
    """Inputs by name at places (k, 2) over the whole terrain."""
    terrain = frame.terrain
    corners = over * np.array([terrain.cols - 1, terrain.rows - 1])
    tall, normals = lie_of(heights, terrain.spacing, corners)
    at = np.stack([(over[:, 0] - 0.5) * terrain.width, tall, (over[:, 1] - 0.5) * terrain.depth], axis=1)
    # Along the columns: what MikkTSpace makes of a grid.
    along = np.stack([normals[:, 1], -normals[:, 0], np.zeros(at.shape[0])], axis=1)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    tangents = np.concatenate([along, np.ones((at.shape[0], 1))], axis=1)
    return {"position": at - origin, "normal": normals, "tangent": tangents, "uv": over}


class TerrainShape(Shape):
    """See `Shape`. Its mesh is the frame over what came in."""

    mesh: TerrainMesh

    @cached_property
    def field(self) -> HeightField:
        return HeightField(self.mesh.terrain)

    def _made_measures(self) -> Measures:
        terrain = self.mesh.terrain
        self._ground_measures = GroundMeasures(
            self.field, lambda: self.grid(terrain.rows, terrain.cols, CORNERS)
        )
        return self._ground_measures

    @cached_property
    def _grids(self) -> dict[tuple[int, int, float], TerrainSites]:
        return {}

    def taking_over(self, *others: "Shape | None") -> "Shape":
        """Heights are taken from the channel that holds them; sites of the same heights are the same."""
        for other in others:
            if other is not None:
                self.measures.take_over(other.measures, [])
        return self

    def grid(self, rows: int, cols: int, shift: float) -> TerrainSites:
        key = (rows, cols, shift)
        if key not in self._grids:
            self._grids[key] = TerrainSites(self.field, rows, cols, shift)
        return self._grids[key]

    def vertices(self, level: int = 0) -> MeshVertices:
        # Statistics read beside the surface's thread: what is forgotten meanwhile must not be missed here.
        found = self._vertices.get(level)
        if found is None:
            found = self._vertices[level] = mesh_vertices(Frame(self.mesh.terrain).mesh(self.field.heights))
        return found

    @cached_property
    def _first(self) -> SurfaceInputs:
        """Inputs before anybody painted heights: windows hold on to its origin."""
        assert self.mesh.normals is not None
        return surface_inputs(self.mesh, self.mesh.positions, self.mesh.normals)

    def inputs(self, level: int = 0) -> SurfaceInputs:
        found = self._inputs.get(level)
        if found is None:
            first, frame = self._first, Frame(self.mesh.terrain)
            known = inputs_at(frame, self.field.heights, frame.vertices, first.origin)
            found = self._inputs[level] = TerrainInputs(
                {name: values.astype(np.float32) for name, values in known.items()},
                first.triangles,
                first.site_of_extra,
                first.origin,
                first.metres_per_uv,
                frame,
                self.field.heights,
            )
        return found

    def steered(self, rows: I64, cols: I64, values: U16) -> bool:
        moved = self.field.take(rows, cols, values)
        if moved:
            self._inputs.clear()
            self._vertices.clear()
            self._ground_measures.forget()
            self.__dict__.pop("lie", None)
        return moved

    def moved_heights(self, sites: Sites, changed: U32) -> list[HeightsPart]:
        cols, rows = self.grid(self.mesh.terrain.rows, self.mesh.terrain.cols, CORNERS).column_and_row(
            changed
        )
        left, top = int(cols.min()), int(rows.min())
        return [(self.field.heights, left, top, int(cols.max()) - left + 1, int(rows.max()) - top + 1)]

    grown: ClassVar[bool] = True

    def ground(self) -> tuple[Terrain, F32]:
        heights = self.field.heights
        return self.mesh.terrain, heights if heights is self.mesh.terrain.heights else heights.copy()

    def heights_of_file(self) -> F32:
        return self.mesh.terrain.heights

    def painted_heights(self) -> list[HeightsPart]:
        heights, base = self.field.heights, self.mesh.terrain.heights
        if heights is base:
            return []
        parts: list[HeightsPart] = []
        for top in range(0, base.shape[0], SIDE):
            for left in range(0, base.shape[1], SIDE):
                square = np.s_[top : top + SIDE, left : left + SIDE]
                if not np.array_equal(heights[square], base[square]):
                    rows, cols = base[square].shape
                    parts.append((heights, left, top, cols, rows))
        return parts

    @cached_property
    def lie(self) -> str:
        return hashlib.blake2b(np.ascontiguousarray(self.field.heights).data, digest_size=8).hexdigest()

    def closest_on(self, level: int) -> tuple[F32, U32, Callable[[U32, F64], Places]]:
        _, mesh = grid_over(self.field, MOST_EDGE)
        frame = Frame(self.mesh.terrain)

        def places(faces: U32, shares: F64) -> Places:
            over = mesh.uvs[0][mesh.triangles[faces]].astype(np.float64)
            return frame.places(np.einsum("ij,ijk->ik", shares, over))

        return mesh.positions, mesh.triangles, places

    def dropped(self, places: F64) -> tuple[F64, F64]:
        terrain = self.mesh.terrain
        middle = np.array([(terrain.cols - 1) / 2, (terrain.rows - 1) / 2])
        corners = places[:, [0, 2]] / terrain.spacing + middle
        tall, normals = lie_of(self.field.heights, terrain.spacing, corners)
        return np.stack([places[:, 0], tall, places[:, 2]], axis=1), normals

    def height_over(self, x: float, z: float) -> float | None:
        terrain = self.mesh.terrain
        if abs(x) > terrain.width / 2 or abs(z) > terrain.depth / 2:
            return None
        return float(self.dropped(np.array([[x, 0.0, z]]))[0][0, 1])

    def require_mesh(self) -> None:
        raise Refusal(
            "A terrain keeps its grid: it is not refined, grouped or unwrapped.",
            "Bring the heights in anew to change the grid.",
        )

    def facts(self) -> dict[str, Any]:
        terrain = self.mesh.terrain
        frame = super().facts()
        heights = self.field.heights
        low, high = float(heights.min()), float(heights.max())
        return {
            **frame,
            "vertices": terrain.rows * terrain.cols,
            "points": terrain.rows * terrain.cols,
            "triangles": 2 * (terrain.rows - 1) * (terrain.cols - 1),
            "spacing_median": terrain.spacing,
            "spacing_longest": terrain.spacing,
            "spacing_fine": terrain.spacing,
            "spacing_coarse": terrain.spacing,
            "size": [terrain.width, high - low, terrain.depth],
            "low": [-terrain.width / 2, low, -terrain.depth / 2],
            "terrain": {
                "rows": terrain.rows,
                "cols": terrain.cols,
                "spacing": terrain.spacing,
                "lowest": low,
                "highest": high,
                "painted_low": terrain.low,
                "painted_high": terrain.high,
            },
        }
