"""One channel: what every site holds.

value = u·(1 − c) + p, with the undercoat u, the cover c of the hand paint and the paint p,
premultiplied by its cover. Porter and Duff (1984), "Compositing Digital Images": paint is
*over* the undercoat.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, U16
from ashblend.core.channels.quantise import quantise

FULL = 65535
Undercoat = float | F32


@dataclass
class Channel:
    """Stored state of a channel on its sites.

    cover, paint: (sites,) uint16, 65535 is one; paint never exceeds cover.
    undercoat: what lies under the paint, 0..1: one weight for all sites, or (sites,) float32.
    The arrays are written in place by strokes; everything else replaces nothing.
    """

    cover: U16
    paint: U16
    undercoat: Undercoat = 0.0

    def undercoat_at(self, sites: NDArray[np.integer] | slice) -> Undercoat:
        return self.undercoat if isinstance(self.undercoat, float) else self.undercoat[sites]

    def values(self, sites: NDArray[np.integer] | slice = slice(None)) -> U16:
        """What the channel holds at the sites, as uint16 steps."""
        cover = self.cover[sites].astype(np.float64)
        steps = self.undercoat_at(sites) * (FULL - cover) + self.paint[sites]
        return np.rint(steps).clip(0, FULL).astype(np.uint16)


def undercoat_array(channel: Channel) -> F32:
    """The undercoat for kernels: (1,) when it is the same everywhere, else (sites,)."""
    return np.atleast_1d(np.asarray(channel.undercoat, np.float32))


def empty_channel(sites: int, undercoat: float = 0.0) -> Channel:
    """A channel without paint."""
    return Channel(np.zeros(sites, np.uint16), np.zeros(sites, np.uint16), undercoat)


def channel_of_values(values: F32) -> Channel:
    """A channel whose paint covers every site with the given weights (sites,) in 0..1."""
    paint = quantise(values, 16).astype(np.uint16)
    return Channel(np.full(values.shape[0], FULL, np.uint16), paint)
