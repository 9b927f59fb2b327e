"""What one step changed in one channel, with both sides kept, so that undo gives the same bytes."""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import U16, U32
from ashblend.core.channels.channel import Channel
from ashblend.core.sites.protocol import Sites

# Undercoats of one weight for all sites, or the two sides of a plane at the delta's sites.
Sides = tuple[float | U16, float | U16]


@dataclass(frozen=True)
class ChannelDelta:
    """channel: number in its set. sites: (k,) ascending. The planes: (k,) uint16, values of several numbers (k, width).

    undercoat: where that changed, before and after: one number for all sites, or a plane (k, …).
    From one weight to a plane or back, the sites are all of them.
    """

    channel: int
    sites: U32
    cover_before: U16
    paint_before: U16
    cover_after: U16
    paint_after: U16
    undercoat: Sides | None = None

    def apply(self, target: Channel) -> None:
        """Write the after side into a channel."""
        target.cover[self.sites] = self.cover_after
        target.paint[self.sites] = self.paint_after
        target.mark(self.sites)
        if self.undercoat is None:
            return
        after = self.undercoat[1]
        if isinstance(after, float):
            target.undercoat = after
            return
        if isinstance(target.undercoat, float):
            target.undercoat = target.kind.zeros(target.extent)
        target.undercoat[self.sites] = after

    def reversed(self) -> "ChannelDelta":
        return ChannelDelta(
            self.channel,
            self.sites,
            self.cover_after,
            self.paint_after,
            self.cover_before,
            self.paint_before,
            None if self.undercoat is None else (self.undercoat[1], self.undercoat[0]),
        )

    @property
    def empty(self) -> bool:
        return self.sites.size == 0 and self.undercoat is None


# Sites that are written in one go.
AT_ONCE = 4_000_000


class Following:
    """Deltas of one channel that follow each other, written together: the last at a site is the one that stays.

    Tried: one after the other. 10 000 strokes of 160 sites took 0.2 s longer.
    """

    def __init__(self, target: Channel) -> None:
        self._target = target
        self._waiting: list[ChannelDelta] = []
        self._sites = 0

    def add(self, delta: ChannelDelta) -> None:
        if delta.undercoat is not None:
            self.write()
            delta.apply(self._target)
            return
        self._waiting.append(delta)
        self._sites += delta.sites.shape[0]
        if self._sites > AT_ONCE:
            self.write()

    def write(self) -> None:
        """Write what waits."""
        if not self._waiting:
            return
        sites = np.concatenate([delta.sites for delta in self._waiting])
        # Of a site that is named twice, NumPy keeps the last value.
        self._target.cover[sites] = np.concatenate([delta.cover_after for delta in self._waiting])
        self._target.paint[sites] = np.concatenate([delta.paint_after for delta in self._waiting])
        self._target.mark(sites)
        self._waiting, self._sites = [], 0


def changed_between_sites(number: int, sites: U32, cover: U16, paint: U16, now: Channel) -> ChannelDelta:
    """The delta from cover and paint (k,) that sites (k,) ascending held before to what they hold now."""
    after_cover, after_paint = now.cover[sites], now.paint[sites]
    differs = (cover != after_cover) | ~now.kind.same(paint, after_paint)
    return ChannelDelta(
        number, sites[differs], cover[differs], paint[differs], after_cover[differs], after_paint[differs]
    )


def changed_between(number: int, before: Channel, after: Channel) -> ChannelDelta:
    """The delta between the paint of two states of the same channel: only sites that differ."""
    differs = (before.cover != after.cover) | ~after.kind.same(before.paint, after.paint)
    sites = np.flatnonzero(differs).astype(np.uint32)
    return changed_between_sites(number, sites, before.cover[sites], before.paint[sites], after)


def undercoat_delta(number: int, channel: Channel, sites: U32, values: U16) -> ChannelDelta:
    """The delta that puts a plane of values (k,) at all its sites (k,) ascending under the paint."""
    before = channel.undercoat
    if not isinstance(before, float):
        differs = ~channel.kind.same(before[sites], values)
        sites, values = sites[differs], values[differs]
        before = before[sites]
    cover, paint = channel.cover[sites], channel.paint[sites]
    return ChannelDelta(number, sites, cover, paint, cover, paint, (before, values))


def joined(parts: list[ChannelDelta]) -> ChannelDelta:
    """Deltas of one channel over different sites, in ascending order, as one. Undercoats are left out."""
    first = parts[0]
    if len(parts) == 1:
        return first
    return ChannelDelta(
        first.channel,
        np.concatenate([p.sites for p in parts]),
        np.concatenate([p.cover_before for p in parts]),
        np.concatenate([p.paint_before for p in parts]),
        np.concatenate([p.cover_after for p in parts]),
        np.concatenate([p.paint_after for p in parts]),
    )


def constant_undercoat_delta(number: int, channel: Channel, sites: Sites, weight: float) -> ChannelDelta:
    """The delta that puts one weight under the paint in place of a plane."""
    here = np.concatenate([sites.in_tile(tile) for tile in range(sites.layout.tiles)])
    cover, paint = channel.cover[here], channel.paint[here]
    before = channel.undercoat
    held = before if isinstance(before, float) else before[here]
    return ChannelDelta(number, here, cover, paint, cover, paint, (held, weight))
