"""A channel set of an open surface."""

from collections.abc import Mapping
from functools import cached_property
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F64, U16, Ids
from ashblend.core.brush.reach import Reach
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.quantise import FULL
from ashblend.core.channels.statistics import Tallies
from ashblend.core.channels.values.kind import ValueKind
from ashblend.core.channels.values.weights import WEIGHTS
from ashblend.core.sets.document import ChannelSetDocument
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.kinds.registry import SiteKind
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.state import SetState, SurfaceState

ALL = slice(None)


class OpenSet:
    """Values of a set, where they lie, and what is told of them.

    revision: of the document, as kept.
    """

    def __init__(
        self,
        ident: UUID,
        kind: SiteKind,
        document: ChannelSetDocument,
        revision: int,
        channels: list[Channel],
        sites: Sites,
    ) -> None:
        self.id = ident
        self.kind = kind
        self.document = document
        self.revision = revision
        self.channels = channels
        self.sites = sites
        self._reaches: dict[str, Reach] = {}

    def reach(self, name: str) -> Reach:
        """For looking around while nothing is painted; strokes have their own."""
        if name not in self._reaches:
            self._reaches[name] = Reach(self.sites, name == "skin")
        return self._reaches[name]

    @cached_property
    def tallies(self) -> list[Tallies]:
        """Sums behind the statistics of each channel."""
        return [Tallies(self.sites) for _ in self.channels]

    def name_of(self, channel: int) -> str:
        """Of what a channel holds now; see `Tallies`."""
        return self.tallies[channel].name(self.channels[channel])

    @property
    def follows(self) -> UUID | None:
        """The set of level 0 that this one is carried down from."""
        return self.kind.follows

    @property
    def level(self) -> int:
        return self.kind.level

    def shown(self, channel: int, sites: Ids | slice = ALL) -> U16:
        """What windows are sent: the values, as coarse as the set is made for."""
        held = self.channels[channel]
        return held.kind.shown(held.values(sites), self.document.bits)

    @property
    def values(self) -> ValueKind:
        """What its channels hold."""
        return self.channels[0].kind

    def weights(self, channel: int, sites: Ids | slice = ALL) -> F64:
        """(extent,) or (k,) 0..1, of a set that holds weights."""
        return self.channels[channel].values(sites).astype(np.float64) / FULL

    def four_weights(self, sites: Ids | slice = ALL) -> F64:
        """(k, 4) 0..1 as the picture has them; channels that the set does not have, and what is no weight, are zero."""
        out = np.zeros((self.channels[0].cover[sites].shape[0], 4))
        if self.values is WEIGHTS:
            for channel in range(len(self.channels)):
                out[:, channel] = self.shown(channel, sites) / np.float64(FULL)
        return out

    def state(self) -> SetState:
        """A copy that later strokes do not change."""
        return SetState(self.id, self.kind, self.document, tuple(c.copy() for c in self.channels))


def open_sets(shape: Shape, state: SurfaceState, revisions: Mapping[UUID, int]) -> dict[UUID, OpenSet]:
    """The sets of a state, on the sites of its shape; painting on them leaves the state as it is."""
    found = {
        s.id: OpenSet(
            s.id,
            s.sites,
            s.document,
            revisions.get(s.id, 0),
            [c.copy() for c in s.channels],
            s.sites.sites(shape),
        )
        for s in state.sets
    }
    for entry in found.values():
        entry.kind.steer(shape, entry.sites, entry.channels)
    return found
