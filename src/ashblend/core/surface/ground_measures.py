"""Measures of a terrain: its own over its heights, and those of meshes over a mesh of them."""

from collections.abc import Callable

import numpy as np

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.progress import Progress
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.measures import Known, Measures
from ashblend.core.surface.refusal import Refusal
from ashblend.core.survey.around import Around
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import Ground, MeasureDocument
from ashblend.core.survey.registry import MEASURES
from ashblend.core.terrain.field import HeightField
from ashblend.core.terrain.frame import grid_mesh
from ashblend.core.terrain.resample import resampled
from ashblend.core.terrain.sites import CORNERS, TerrainSites
from ashblend.core.terrain.terrain import Terrain

# Measures of meshes look at the ground on a grid of so many places along an edge, at most.
MOST_EDGE = 1025
# And, for a rough idea, so many.
GLANCE_EDGE = 257


def grid_over(field: HeightField, most: int) -> tuple[Terrain, Mesh]:
    """The ground as it is now on a grid of so many places along an edge at most, and a mesh of that."""
    terrain = field.terrain
    rows, cols = min(terrain.rows, most), min(terrain.cols, most)
    heights = resampled(field.heights, rows, cols)
    coarse = Terrain(heights, terrain.width / (cols - 1), terrain.low, terrain.high)
    across, down = np.linspace(0, 1, cols), np.linspace(0, 1, rows)
    over = np.stack(np.meshgrid(across, down), axis=-1).reshape(-1, 2)
    return coarse, grid_mesh(coarse, heights, over, rows, cols)


class GroundMeasures(Measures):
    """See `Measures`. They are known at the corners of the ground, (rows, cols), whatever sites ask.

    field: the heights, as they are now. corners: sites at them.
    """

    def __init__(self, field: HeightField, corners: Callable[[], TerrainSites]) -> None:
        super().__init__(lambda _: grid_over(field, MOST_EDGE)[1])
        self._field = field
        self._corners = corners
        self._last_glance: Body | None = None

    def forget(self) -> None:
        """The heights have moved."""
        self._kept.clear()
        self._glances.clear()
        self._last_body = self._last_glance = None

    def stand_amid(self, around: Around) -> None:
        if around.names != self._around.names:
            self._last_glance = None
        super().stand_amid(around)

    def _kept_as(self, measure: MeasureDocument, sites: Sites) -> Known:
        return measure, 0, self.beside(measure)

    def _require(self, measure: MeasureDocument) -> None:
        if not MEASURES[measure.kind].of_terrain:
            raise Refusal(f"{measure.title} is a measure of meshes.", "Take another source on terrain.")
        if measure.lacks:
            raise Refusal(f"{measure.title} is not complete.", measure.lacks)

    def _body_on(self, most: int) -> Body:
        terrain, mesh = grid_over(self._field, most)
        grid = TerrainSites(HeightField(terrain), terrain.rows, terrain.cols, CORNERS)
        return Body(mesh, grid, self._around, self._lent)

    def _body(self, sites: Sites) -> Body:
        if self._last_body is None:
            self._last_body = self._body_on(MOST_EDGE)
        return self._last_body

    def _worked_out(self, measure: MeasureDocument, sites: Sites, progress: Progress) -> F32:
        over = MEASURES[measure.kind].over
        if over is not None:
            return over(Ground(self._field.heights, self._field.terrain.spacing), measure, progress)
        return self._of_body(self._body(sites), measure, progress)

    def _of_body(self, body: Body, measure: MeasureDocument, progress: Progress) -> F32:
        """(rows, cols) of the ground."""
        on = MEASURES[measure.kind].on
        assert on is not None
        values = on(body, measure, progress)
        held = body.sites.image(lambda asked: values[asked].astype(np.float64))
        # Finer grids are splines through it, which go beyond what they pass.
        fine = resampled(held.astype(np.float32), *self._field.heights.shape)
        return fine.clip(held.min(), held.max())

    def _spread(self, values: F32, metres: float, sites: Sites) -> F32:
        """Level, as the ground is seen from above."""
        from scipy.ndimage import gaussian_filter

        by = metres / self._field.terrain.spacing
        return np.asarray(gaussian_filter(values, by, mode="nearest", truncate=3), np.float32)

    def get_ready(self, vertices: Callable[[], Sites]) -> None:
        """A rough look is over a small grid of the ground, which is worked out as quickly as asked for."""

    def _glanced(self, measure: MeasureDocument, sites: Sites, progress: Progress) -> F32 | None:
        if not measure.coarsely or max(self._field.heights.shape) <= GLANCE_EDGE:
            return None
        if self._last_glance is None:
            self._last_glance = self._body_on(GLANCE_EDGE)
        values = self._of_body(self._last_glance, measure.glimpse, progress)
        return self._spread(values, measure.spread, sites) if measure.spread else values

    def at(
        self, measure: MeasureDocument, sites: Sites, glancing: bool = False
    ) -> Callable[[U32], F32 | F64]:
        values = self._glances.get(self._kept_as(measure, sites)) if glancing else None
        if values is None:
            values = self._at_hand(measure, sites)
        corners = self._corners()

        def told(asked: U32) -> F64:
            sample = corners.sample(sites.on_surface(asked))
            cols, rows = corners.column_and_row(sample.sites.reshape(-1).astype(np.uint32))
            held = values[rows, cols].astype(np.float64).reshape(sample.sites.shape)
            return np.asarray((held * sample.shares).sum(axis=1))

        return told
