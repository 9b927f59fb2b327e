"""Level parts drain over their rims: water on a coping finds its edge, though the model is dead level.

Each part is told as risen a little by how far it is along it to where it can run off, as masonry is laid to falls; parts
that lie in a hollow stay level. Common practice for flats of terrain (for example Garbrecht and Martz 1997, Journal of
Hydrology 193, who raise them by steps from where they drain).
"""

from dataclasses import replace

import numpy as np

from ashblend.core.arrays import I32
from ashblend.core.sites.geodesic import ways_along
from ashblend.core.sites.patch import Graph

# Metres that a level part falls in a metre; and of the surface's size, what is one height.
FALL, ONE_HEIGHT = 1e-3, 1e-6


def laid_to_falls(graph: Graph) -> Graph:
    """The graph with level parts risen from where they run off."""
    points = graph.offsets.shape[0] - 1
    height = graph.positions[:, 1].astype(np.float64)
    size = float(np.ptp(graph.positions, axis=0).max(initial=0))
    owner = np.repeat(np.arange(points), np.diff(graph.offsets))
    own = height[owner][:, None]
    known = graph.fans >= 0
    beside = np.where(known, height[graph.fans], own)
    level = (np.abs(beside - own) <= ONE_HEIGHT * size).all(axis=1) & known.all(axis=1)
    lies_level, runs_off = np.zeros(points, bool), np.zeros(points, bool)
    lies_level[owner[level]] = True
    runs_off[owner[(beside < own - ONE_HEIGHT * size).any(axis=1)]] = True
    rims = np.flatnonzero(lies_level & runs_off).astype(np.int32)
    if rims.size == 0:
        return graph
    fans: I32 = np.where(level[:, None], graph.fans, np.int32(-1)).astype(np.int32)
    off = ways_along(replace(graph, fans=fans), rims, np.zeros(rims.size), np.inf)
    risen = graph.positions.copy()
    risen[:points, 1] += np.where(np.isfinite(off), FALL * off, 0).astype(np.float32)
    return replace(graph, positions=risen)
