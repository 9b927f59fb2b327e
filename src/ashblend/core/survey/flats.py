"""Level parts drain over their rims: water on a coping finds its edge, though the model is dead level.

Each part is told as risen a little by how far it is along it to where it can run off, as masonry is laid to falls; parts
that lie in a hollow stay level. Common practice for flats of terrain (for example Garbrecht and Martz 1997, Journal of
Hydrology 193, who raise them by steps from where they drain).
"""

from dataclasses import replace

import numba
import numpy as np

from ashblend.core.arrays import F32, I32, Mask
from ashblend.core.sites.geodesic import ways_along
from ashblend.core.sites.patch import Graph

# Metres that a level part falls in a metre; and of the surface's size, what is one height.
FALL, ONE_HEIGHT = 1e-3, 1e-6


@numba.njit(cache=True, nogil=True, parallel=True)
def _level(positions: F32, offsets: I32, fans: I32, least: float) -> tuple[Mask, Mask, Mask]:
    """Triangles (n,) at points that are level; points that have one, and points that have lower ones beside them."""
    points = offsets.shape[0] - 1
    level = np.zeros(fans.shape[0], np.bool_)
    lies_level, runs_off = np.zeros(points, np.bool_), np.zeros(points, np.bool_)
    for p in numba.prange(points):
        own = float(positions[p, 1])
        for j in range(offsets[p], offsets[p + 1]):
            a, b = fans[j, 0], fans[j, 1]
            one = float(positions[a, 1]) if a >= 0 else own
            other = float(positions[b, 1]) if b >= 0 else own
            runs_off[p] |= one < own - least or other < own - least
            level[j] = a >= 0 and b >= 0 and abs(one - own) <= least and abs(other - own) <= least
            lies_level[p] |= level[j]
    return level, lies_level, runs_off


def laid_to_falls(graph: Graph) -> Graph:
    """The graph with level parts risen from where they run off."""
    points = graph.offsets.shape[0] - 1
    size = float(np.ptp(graph.positions, axis=0).max(initial=0))
    level, lies_level, runs_off = _level(graph.positions, graph.offsets, graph.fans, ONE_HEIGHT * size)
    rims = np.flatnonzero(lies_level & runs_off).astype(np.int32)
    if rims.size == 0:
        return graph
    fans: I32 = np.where(level[:, None], graph.fans, np.int32(-1)).astype(np.int32)
    off = ways_along(replace(graph, fans=fans), rims, np.zeros(rims.size), np.inf)
    risen = graph.positions.copy()
    risen[:points, 1] += np.where(np.isfinite(off), FALL * off, 0).astype(np.float32)
    return replace(graph, positions=risen)
