"""What a channel row shows: how much of the surface a channel holds, and how its values lie.

Sums are kept by tile, so that after a stroke only the tiles it touched are added up again.
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, F64, Ids
from ashblend.core.channels.channel import FULL, Channel
from ashblend.core.sites.protocol import Sites

STEPS = 16
# What is summed over a tile: area, area · value, area with any weight, sites, sites with paint; then the histogram.
AREA, COVERED, TOUCHED, COUNT, OWN = range(5)
WIDTH = 5 + STEPS


@dataclass(frozen=True)
class ChannelStatistics:
    """coverage: mean weight over the area, 0..1. touched: share of the area with any weight.

    own: share of the sites that hold hand paint. histogram: share of the area in each of equal steps of the
    weight; sums to one.
    """

    coverage: float
    touched: float
    own: float
    histogram: tuple[float, ...]


def tile_sums(channel: Channel, here: Ids, areas: F32) -> F64:
    """Sums (WIDTH,) over sites (k,) with their areas (k,)."""
    values = channel.values(here)
    weights = areas.astype(np.float64)
    out = np.empty(WIDTH)
    out[AREA] = weights.sum()
    out[COVERED] = np.dot(values.astype(np.float64), weights) / FULL
    out[TOUCHED] = weights[values > 0].sum()
    out[COUNT] = values.shape[0]
    out[OWN] = (channel.cover[here] > 0).sum()
    bins = np.minimum(values.astype(np.int64) * STEPS // FULL, STEPS - 1)
    out[5:] = np.bincount(bins, weights=weights, minlength=STEPS)
    return out


def of_sums(sums: F64) -> ChannelStatistics:
    """Statistics of summed tiles (WIDTH,)."""
    area = float(sums[AREA])
    if area <= 0:
        return ChannelStatistics(0.0, 0.0, 0.0, (0.0,) * STEPS)
    return ChannelStatistics(
        float(sums[COVERED]) / area,
        float(sums[TOUCHED]) / area,
        float(sums[OWN] / max(sums[COUNT], 1)),
        tuple(float(h) for h in sums[5:] / area),
    )


class Tallies:
    """Statistics of a channel that are brought up to date by tile."""

    def __init__(self, sites: Sites) -> None:
        self._sites = sites
        self._sums: dict[int, F64] = {}

    def forget(self, tiles: set[int]) -> None:
        """What these tiles hold has changed."""
        for tile in tiles:
            self._sums.pop(tile, None)

    def statistics(self, channel: Channel) -> ChannelStatistics:
        total = np.zeros(WIDTH)
        for tile in range(self._sites.layout.tiles):
            known = self._sums.get(tile)
            if known is None:
                here = self._sites.in_tile(tile)
                areas = self._sites.window(here).areas
                known = self._sums[tile] = tile_sums(channel, here, areas)
            total += known
        return of_sums(total)


def channel_statistics(channel: Channel, sites: Sites) -> ChannelStatistics:
    """Area-weighted statistics of a whole channel."""
    return Tallies(sites).statistics(channel)
