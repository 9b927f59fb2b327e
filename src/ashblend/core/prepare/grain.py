"""Grain: how far neighbouring sites lie apart."""

from dataclasses import dataclass

import numba
import numpy as np

from ashblend.core.arrays import F32, I32
from ashblend.core.sites.mesh_vertices import MeshVertices


@numba.njit(cache=True, nogil=True)
def _mean_to_neighbours(positions: F32, offsets: I32, neighbours: I32) -> F32:
    out = np.zeros(positions.shape[0], np.float32)
    for p in range(positions.shape[0]):
        total = 0.0
        count = 0
        for k in range(offsets[p], offsets[p + 1]):
            square = 0.0
            for axis in range(3):
                d = float(positions[neighbours[k], axis]) - float(positions[p, axis])
                square += d * d
            total += np.sqrt(square)
            count += 1
        if count > 0:
            out[p] = total / count
    return out


def grain(sites: MeshVertices) -> F32:
    """Mean distance to the neighbours, (sites,) metres; 0 for a site without any."""
    offsets, neighbours = sites.neighbours()
    return _mean_to_neighbours(sites.point_positions, offsets, neighbours)[sites.weld.point_of_site]


@dataclass(frozen=True)
class GrainFacts:
    """Metres. fine, coarse: the range that 98 % of the area lies in, for a legend."""

    median: float
    worst: float
    fine: float
    coarse: float


def grain_facts(values: F32, areas: F32) -> GrainFacts:
    """values: (sites,) grain. areas: (sites,) m², so that a dense corner does not hide a coarse wall."""
    order = np.argsort(values)
    total = np.cumsum(areas[order], dtype=np.float64)
    if total[-1] <= 0:
        return GrainFacts(0.0, 0.0, 0.0, 0.0)

    def at(share: float) -> float:
        return float(values[order[min(np.searchsorted(total, share * total[-1]), order.shape[0] - 1)]])

    return GrainFacts(at(0.5), float(values.max()), at(0.01), at(0.99))
