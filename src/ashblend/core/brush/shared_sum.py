"""Channels of a set that make way for the painted one, so that all of them sum to one."""

from collections.abc import Sequence

import numpy as np

from ashblend.core.arrays import F64, I64, U16, U32, zero_pages
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.delta import ChannelDelta, changed_between_sites
from ashblend.core.channels.quantise import FULL


def given_way(painted: I64, others: I64, free: Sequence[bool]) -> tuple[I64, I64]:
    """What the painted channel and the others then hold, in steps; every column sums to FULL.

    painted: (k,) steps. others: (m, k) steps before. free: which of the others may change. Those
    shrink or grow in proportion; where all of them are empty the first takes the rest. The painted
    channel goes no higher than locked ones leave room for.
    """
    held = others[[i for i, f in enumerate(free) if not f]].sum(axis=0)
    painted = np.minimum(painted, np.maximum(FULL - held, 0))
    room = FULL - held - painted
    moving = [i for i, f in enumerate(free) if f]
    out = others.copy()
    if not moving:
        return np.maximum(FULL - held, 0), out
    total = others[moving].sum(axis=0)
    left = room.copy()
    for i in moving[1:]:
        share: F64 = np.where(total > 0, others[i] * (room / np.maximum(total, 1)), 0.0)
        out[i] = np.minimum(np.floor(share).astype(np.int64), left)
        left -= out[i]
    out[moving[0]] = np.maximum(left, 0)
    return painted, out


class SharedSum:
    """The other channels of a set during a stroke.

    free: which of the others may change. At least one must.
    """

    def __init__(self, others: Sequence[tuple[int, Channel]], free: Sequence[bool]) -> None:
        if not any(free):
            raise ValueError("with all other channels locked, none can give way")
        self._others = list(others)
        self._free = list(free)
        count = others[0][1].cover.shape[0]
        self._first: list[tuple[U16, U16]] = [
            (zero_pages(count, np.uint16), zero_pages(count, np.uint16)) for _ in others
        ]

    def remember(self, sites: U32) -> None:
        """Keep what the others hold at sites that the stroke meets for the first time."""
        for (_, channel), (cover, paint) in zip(self._others, self._first, strict=True):
            cover[sites] = channel.cover[sites]
            paint[sites] = channel.paint[sites]

    def give_way(self, painted: Channel, sites: U32) -> None:
        """Rewrite all channels at sites so that they sum to one. The others' start counts."""
        before = np.stack(
            [
                Channel(cover[sites], paint[sites], channel.undercoat_at(sites)).values().astype(np.int64)
                for (_, channel), (cover, paint) in zip(self._others, self._first, strict=True)
            ]
        )
        mine, theirs = given_way(painted.values(sites).astype(np.int64), before, self._free)
        for channel, values in [(painted, mine), *zip((c for _, c in self._others), theirs, strict=True)]:
            at = channel.values(sites) != values
            channel.cover[sites[at]] = FULL
            channel.paint[sites[at]] = values[at]

    def finish(self, sites: U32) -> list[ChannelDelta]:
        return [
            changed_between_sites(number, sites, cover[sites], paint[sites], channel)
            for (number, channel), (cover, paint) in zip(self._others, self._first, strict=True)
        ]

    def abandon(self, sites: U32) -> None:
        for (_, channel), (cover, paint) in zip(self._others, self._first, strict=True):
            channel.cover[sites] = cover[sites]
            channel.paint[sites] = paint[sites]
