"""How much of the sky the shape around hides from each place, for the picture: an occlusion of its own, not the materials'."""

import numpy as np

from ashblend.core.arrays import U8, U32
from ashblend.core.progress import silent
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.measures import MANY
from ashblend.core.surface.shape import Shape
from ashblend.core.survey.occlusion import OcclusionMeasure

# Of the surface's size: what is farther hides nothing.
WITHIN = 0.25
RAYS = 64


def measured_for_light(size: float) -> OcclusionMeasure:
    """size: in metres, from one end of the surface to the other."""
    return OcclusionMeasure(metres=max(WITHIN * size, 1e-4), rays=RAYS)


# Places along an edge of a terrain.
EDGE = 257


def _hidden(shape: Shape, size: float, sites: Sites, asked: U32, roughly: bool) -> U8:
    measure = measured_for_light(size)
    measures = shape.measures
    if roughly and not measures.has(measure, sites) and not measures.has_glanced(measure, sites):
        measures.glance(measure, sites, silent)
    open_ = measures.at(measure, sites, glancing=True)(asked)
    return np.rint(255 * np.clip(1 - open_, 0, 1)).astype(np.uint8)


def closed_ground(shape: Shape) -> U8:
    """(rows, cols) of a terrain, at most EDGE each, from the first corner to the last. A rough idea, as of large meshes."""
    terrain, _ = shape.ground()
    rows, cols = min(terrain.rows, EDGE), min(terrain.cols, EDGE)
    sites = shape.grid(rows, cols, 0.0)
    size = float(np.hypot(terrain.width, terrain.depth)) / 2
    row, col = np.divmod(np.arange(rows * cols, dtype=np.int64), cols)
    return _hidden(shape, size, sites, sites.number(col, row), roughly=True).reshape(rows, cols)


def closed(shape: Shape, level: int = 0) -> U8:
    """(drawn,) share of the sky that is hidden, in 255ths, on the vertices of a level. May run beside the surface's thread.

    Of a large mesh a rough idea, by a coarse stand-in: a second for millions.
    """
    sites = shape.vertices(level)
    positions = shape.mesh_of(level).positions
    size = float(np.linalg.norm(np.ptp(positions, axis=0))) if positions.size else 1.0
    everywhere = np.arange(sites.count, dtype=np.uint32)
    hidden = _hidden(shape, size, sites, everywhere, roughly=sites.count > MANY)
    return np.concatenate([hidden, hidden[shape.inputs(level).site_of_extra]])
