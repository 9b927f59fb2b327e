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
from ashblend.core.progress import Progress
from ashblend.core.sites import Mesh, MeshVertices, Places, Sites, mesh_vertices
from ashblend.core.sites.layout import SIDE
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import HeightsPart, Known, Shape
from ashblend.core.survey import MEASURES, Around, Body, Ground, MeasureDocument
from ashblend.core.terrain.field import HeightField
from ashblend.core.terrain.frame import Frame, TerrainMesh, grid_mesh
from ashblend.core.terrain.lie import lie_of
from ashblend.core.terrain.lie_glsl import LIE
from ashblend.core.terrain.resample import resampled
from ashblend.core.terrain.sites import CORNERS, TerrainSites
from ashblend.core.terrain.terrain import Terrain

# Measures of meshes look at the ground on a grid of so many places along an edge, at most.
MOST_EDGE = 1025
# And, for a rough idea, so many.
GLANCE_EDGE = 257


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
    _last_glance: Body | None = None

    @cached_property
    def field(self) -> HeightField:
        return HeightField(self.mesh.terrain)

    @cached_property
    def _grids(self) -> dict[tuple[int, int, float], TerrainSites]:
        return {}

    def taking_over(self, *others: "Shape | None") -> "Shape":
        """Heights are taken from the channel that holds them; sites of the same heights are the same."""
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
            self._kept.clear()
            self._glances.clear()
            self._last_body = self._last_glance = None
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

    def _kept_as(self, measure: MeasureDocument, sites: Sites) -> Known:
        # At corners of the ground, whatever sites ask.
        return measure, 0, self.beside(measure)

    def _require(self, measure: MeasureDocument) -> None:
        if not MEASURES[measure.kind].of_terrain:
            raise Refusal(f"{measure.title} is a measure of meshes.", "Take another source on terrain.")
        if measure.lacks:
            raise Refusal(f"{measure.title} is not complete.", measure.lacks)

    def _worked_out(self, measure: MeasureDocument, sites: Sites, progress: Progress) -> F32:
        over = MEASURES[measure.kind].over
        if over is not None:
            return over(Ground(self.field.heights, self.mesh.terrain.spacing), measure, progress)
        return self._of_body(self._body(sites), measure, progress)

    def _of_body(self, body: Body, measure: MeasureDocument, progress: Progress) -> F32:
        """(rows, cols) of the ground."""
        on = MEASURES[measure.kind].on
        assert on is not None
        values = on(body, measure, progress)
        held = body.sites.image(lambda asked: values[asked].astype(np.float64))
        # Finer grids are splines through it, which go beyond what they pass.
        fine = resampled(held.astype(np.float32), *self.field.heights.shape)
        return fine.clip(held.min(), held.max())

    def _spread(self, values: F32, metres: float, sites: Sites) -> F32:
        """Level, as the ground is seen from above."""
        from scipy.ndimage import gaussian_filter

        by = metres / self.mesh.terrain.spacing
        return np.asarray(gaussian_filter(values, by, mode="nearest", truncate=3), np.float32)

    def _grid_over(self, most: int = MOST_EDGE) -> tuple[Terrain, Mesh]:
        """The ground as it is now on a grid of so many places along an edge at most, and a mesh of that."""
        terrain = self.mesh.terrain
        rows, cols = min(terrain.rows, most), min(terrain.cols, most)
        heights = resampled(self.field.heights, rows, cols)
        coarse = Terrain(heights, terrain.width / (cols - 1), terrain.low, terrain.high)
        across, down = np.linspace(0, 1, cols), np.linspace(0, 1, rows)
        over = np.stack(np.meshgrid(across, down), axis=-1).reshape(-1, 2)
        return coarse, grid_mesh(coarse, heights, over, rows, cols)

    def _body(self, sites: Sites) -> Body:
        if self._last_body is None:
            self._last_body = self._body_on(*self._grid_over())
        return self._last_body

    def _body_on(self, terrain: Terrain, mesh: Mesh) -> Body:
        grid = TerrainSites(HeightField(terrain), terrain.rows, terrain.cols, CORNERS)
        return Body(mesh, grid, self._around, self._lent)

    def stand_amid(self, name: str, around: Around) -> None:
        if name != self._around_name:
            self._last_glance = None
        super().stand_amid(name, around)

    def closest_on(self, level: int) -> tuple[F32, U32, Callable[[U32, F64], Places]]:
        _, mesh = self._grid_over()
        frame = Frame(self.mesh.terrain)

        def places(faces: U32, shares: F64) -> Places:
            over = mesh.uvs[0][mesh.triangles[faces]].astype(np.float64)
            return frame.places(np.einsum("ij,ijk->ik", shares, over))

        return mesh.positions, mesh.triangles, places

    def _glanced(self, measure: MeasureDocument, sites: Sites, progress: Progress) -> F32 | None:
        if not measure.coarsely or max(self.field.heights.shape) <= GLANCE_EDGE:
            return None
        if self._last_glance is None:
            self._last_glance = self._body_on(*self._grid_over(GLANCE_EDGE))
        body = self._last_glance
        values = self._of_body(body, measure.glimpse, progress)
        return self._spread(values, measure.spread, sites) if measure.spread else values

    def measured(
        self, measure: MeasureDocument, sites: Sites, glancing: bool = False
    ) -> Callable[[U32], F64]:
        values = self._glances.get(self._kept_as(measure, sites)) if glancing else None
        if values is None:
            values = self._at_hand(measure, sites)
        corners = self.grid(values.shape[0], values.shape[1], CORNERS)

        def at(asked: U32) -> F64:
            sample = corners.sample(sites.on_surface(asked))
            cols, rows = corners.column_and_row(sample.sites.reshape(-1).astype(np.uint32))
            held = values[rows, cols].astype(np.float64).reshape(sample.sites.shape)
            return np.asarray((held * sample.shares).sum(axis=1))

        return at

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
