"""What a channel row shows: how much of the surface a channel holds, and how its values lie.

Sums are kept by tile, so that after a stroke only the tiles it touched are added up again.
"""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, F64, Ids
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.values.kind import AREA, COUNT, COVERED, OWN, STEPS, SUMS, TOUCHED
from ashblend.core.sites.protocol import Sites


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


def of_sums(sums: F64) -> ChannelStatistics:
    """Statistics of summed tiles (SUMS,)."""
    area = float(sums[AREA])
    if area <= 0:
        return ChannelStatistics(0.0, 0.0, 0.0, (0.0,) * STEPS)
    return ChannelStatistics(
        float(sums[COVERED]) / area,
        float(sums[TOUCHED]) / area,
        float(sums[OWN] / max(sums[COUNT], 1)),
        tuple(float(h) for h in sums[OWN + 1 :] / area),
    )


class Tallies:
    """Statistics of a channel, and a name of what it holds, that are brought up to date by tile."""

    def __init__(self, sites: Sites) -> None:
        self._sites = sites
        self._sums: dict[int, F64] = {}
        self._names: dict[int, bytes] = {}
        # How often each tile has changed: what was summed while it did is not kept.
        self._turns: dict[int, int] = {}

    def forget(self, tiles: set[int]) -> None:
        """What these tiles hold has changed."""
        for tile in tiles:
            self._turns[tile] = self._turns.get(tile, 0) + 1
            self._sums.pop(tile, None)
            self._names.pop(tile, None)

    def statistics(self, channel: Channel) -> ChannelStatistics:
        return set_statistics(self._sites, [self], [channel])[0]

    def lacks(self, tile: int) -> bool:
        """Whether a tile has to be summed."""
        return tile not in self._sums

    def sum_up(self, tile: int, channel: Channel, here: Ids, areas: F32) -> None:
        """Sum a tile, whose sites (k,) and areas (k,) are known."""
        turn = self._turns.get(tile, 0)
        values = channel.values(here)
        sums = channel.kind.tally(values, channel.cover[here], areas)
        name = hashlib.blake2b(values.data, digest_size=8).digest()
        if self._turns.get(tile, 0) == turn:
            self._sums[tile], self._names[tile] = sums, name

    def name(self, channel: Channel) -> str:
        """Short name of what a channel holds: another one when it holds other values."""
        self.statistics(channel)
        digest = hashlib.blake2b(digest_size=8)
        for _, held in sorted(self._names.items()):
            digest.update(held)
        return digest.hexdigest()

    def total(self) -> ChannelStatistics:
        """Of all tiles, each summed. What is forgotten meanwhile is counted next time."""
        return of_sums(np.sum(list(self._sums.values()), axis=0) if self._sums else np.zeros(SUMS))


def set_statistics(
    sites: Sites, tallies: Sequence[Tallies], channels: Sequence[Channel]
) -> list[ChannelStatistics]:
    """Of each channel of a set. Where sites lie is asked once a tile, whichever channels lack it."""
    for tile in range(sites.layout.tiles):
        lacking = [(t, c) for t, c in zip(tallies, channels, strict=True) if t.lacks(tile)]
        if lacking:
            here = sites.in_tile(tile)
            areas = sites.window(here).areas
            for tally, channel in lacking:
                tally.sum_up(tile, channel, here, areas)
    return [tally.total() for tally in tallies]


def channel_statistics(channel: Channel, sites: Sites) -> ChannelStatistics:
    """Area-weighted statistics of a whole channel."""
    return Tallies(sites).statistics(channel)
