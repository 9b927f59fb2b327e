"""What a channel row shows: how much of the surface a channel holds, and how its values lie."""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, U16
from ashblend.core.channels.channel import FULL


@dataclass(frozen=True)
class ChannelStatistics:
    """coverage: mean weight over the area, 0..1. touched: share of the area with any weight.

    histogram: share of the area in each of equal steps of the weight; sums to one.
    """

    coverage: float
    touched: float
    histogram: tuple[float, ...]


def channel_statistics(values: U16, areas: F32, steps: int = 16) -> ChannelStatistics:
    """Area-weighted statistics of values (sites,) uint16 with areas (sites,) m²."""
    total = float(areas.sum(dtype=np.float64))
    if total <= 0:
        return ChannelStatistics(0.0, 0.0, (0.0,) * steps)
    bins = np.minimum(values.astype(np.int64) * steps // FULL, steps - 1)
    histogram = np.bincount(bins, weights=areas, minlength=steps) / total
    coverage = float(np.dot(values.astype(np.float64), areas)) / (FULL * total)
    touched = float(areas[values > 0].sum(dtype=np.float64)) / total
    return ChannelStatistics(coverage, touched, tuple(float(h) for h in histogram))
