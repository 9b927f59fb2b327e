"""One channel: what every site holds, as hand paint over an undercoat. What that means its kind of value says."""

from dataclasses import dataclass, field

import numpy as np

from ashblend.core.arrays import F32, U16, Ids, zero_pages
from ashblend.core.channels.quantise import FULL, quantise
from ashblend.core.channels.values.kind import ValueKind
from ashblend.core.channels.values.weights import WEIGHTS
from ashblend.core.sites.layout import TILE_BITS

Undercoat = float | U16


@dataclass
class Channel:
    """Stored state of a channel, by number of site.

    cover: (extent,) uint16, 65535 is all of a site. paint: (extent,) uint16, or (extent, width) where the kind has several
    numbers. undercoat: what lies under the paint: one number 0..1 for all sites, or a plane like the paint's.
    dirty: tiles written since they were last kept. The planes are written in place.
    """

    cover: U16
    paint: U16
    undercoat: Undercoat = 0.0
    dirty: set[int] = field(default_factory=set)
    kind: ValueKind = WEIGHTS

    @property
    def extent(self) -> int:
        return int(self.cover.shape[0])

    def undercoat_at(self, sites: Ids | slice) -> Undercoat:
        return self.undercoat if isinstance(self.undercoat, float) else self.undercoat[sites]

    def values(self, sites: Ids | slice = slice(None)) -> U16:
        """What the channel holds at the sites, as uint16 steps."""
        under = self.undercoat_at(sites)
        covered = self.cover[sites]
        if not isinstance(under, float) and not covered.any():
            return under.copy()
        return self.kind.held(under, covered, self.paint[sites])

    def mark(self, sites: Ids) -> None:
        """Remember that sites (ascending) were written."""
        self.dirty.update(int(t) for t in np.unique(sites >> TILE_BITS))

    def mark_all(self) -> None:
        self.dirty.update(range((self.extent >> TILE_BITS) + 1))

    def copy(self) -> "Channel":
        """The same values in arrays of their own; nothing in it counts as written."""
        under = self.undercoat
        return Channel(
            _sparse_copy(self.cover),
            _sparse_copy(self.paint),
            under if isinstance(under, float) else _sparse_copy(under),
            kind=self.kind,
        )


def _sparse_copy(plane: U16) -> U16:
    """A copy that takes memory only for tiles that hold anything."""
    out = zero_pages(plane.size, np.uint16).reshape(plane.shape)
    for begin in range(0, plane.shape[0], 1 << TILE_BITS):
        part = plane[begin : begin + (1 << TILE_BITS)]
        if part.any():
            out[begin : begin + part.shape[0]] = part
    return out


def kernel_undercoat(channel: Channel) -> tuple[U16, float]:
    """The undercoat for kernels: its plane, or one number where the constant beside it is meant."""
    if isinstance(channel.undercoat, float):
        return np.zeros(1, np.uint16), channel.undercoat
    return channel.undercoat, 0.0


def empty_channel(extent: int, undercoat: float = 0.0, kind: ValueKind = WEIGHTS) -> Channel:
    """A channel without paint; takes no memory until it is written."""
    return Channel(zero_pages(extent, np.uint16), kind.zeros(extent), undercoat, kind=kind)


def covered_by(values: U16, kind: ValueKind) -> Channel:
    """A channel whose paint covers every number with the given values."""
    return Channel(np.full(values.shape[0], FULL, np.uint16), values, kind=kind)


def channel_of_values(values: F32) -> Channel:
    """A channel whose paint covers every number with the given weights (extent,) in 0..1."""
    paint = quantise(values, 16).astype(np.uint16)
    return Channel(np.full(values.shape[0], FULL, np.uint16), paint)
