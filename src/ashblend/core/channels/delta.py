"""What one act changed in one channel, with both sides kept, so that undo gives the same bytes."""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import U16, U32
from ashblend.core.channels.channel import Channel


@dataclass(frozen=True)
class ChannelDelta:
    """channel: number in its set. sites: (k,) ascending. The rest: (k,) uint16."""

    channel: int
    sites: U32
    cover_before: U16
    paint_before: U16
    cover_after: U16
    paint_after: U16

    def apply(self, target: Channel) -> None:
        """Write the after side into a channel."""
        target.cover[self.sites] = self.cover_after
        target.paint[self.sites] = self.paint_after

    def reversed(self) -> "ChannelDelta":
        return ChannelDelta(
            self.channel,
            self.sites,
            self.cover_after,
            self.paint_after,
            self.cover_before,
            self.paint_before,
        )


def changed_between_sites(number: int, sites: U32, cover: U16, paint: U16, now: Channel) -> ChannelDelta:
    """The delta from cover and paint (k,) that sites (k,) ascending held before to what they hold now."""
    after_cover, after_paint = now.cover[sites], now.paint[sites]
    differs = (cover != after_cover) | (paint != after_paint)
    return ChannelDelta(
        number, sites[differs], cover[differs], paint[differs], after_cover[differs], after_paint[differs]
    )


def changed_between(number: int, before: Channel, after: Channel) -> ChannelDelta:
    """The delta between two states of the same channel: only sites that differ."""
    sites = np.flatnonzero((before.cover != after.cover) | (before.paint != after.paint)).astype(np.uint32)
    return changed_between_sites(number, sites, before.cover[sites], before.paint[sites], after)
