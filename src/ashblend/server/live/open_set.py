"""A channel set of an open surface."""

from collections.abc import Mapping
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F64, U16, U32
from ashblend.core.brush import Reach, Skin, StrokeRoom
from ashblend.core.channels import FULL, Channel, ChannelSetDocument
from ashblend.core.prepare.lineage import Mixed
from ashblend.core.sites import Sites
from ashblend.core.sites.kinds import TexelSites, VertexSites
from ashblend.server.live.open_shape import OpenShape
from ashblend.store.states import SetState, SurfaceState

ALL = slice(None)


class OpenSet:
    """Values of a set with what strokes on it need; that is made when the first one comes."""

    def __init__(
        self,
        ident: UUID,
        kind: VertexSites | TexelSites,
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
        self._room: StrokeRoom | None = None
        self._reaches: dict[str, Reach] = {}

    @property
    def room(self) -> StrokeRoom:
        if self._room is None:
            self._room = StrokeRoom(self.sites)
        return self._room

    def reach(self, name: str) -> Reach:
        if name not in self._reaches:
            self._reaches[name] = Skin(self.sites) if name == "skin" else Reach(self.sites)
        return self._reaches[name]

    @property
    def follows(self) -> UUID | None:
        """The set of level 0 that this one is carried down from."""
        return self.kind.follows if isinstance(self.kind, VertexSites) else None

    @property
    def level(self) -> int:
        return self.kind.level if isinstance(self.kind, VertexSites) else 0

    def shown(self, channel: int, sites: U32 | slice = ALL) -> U16:
        """What windows are sent: the values, in 256 steps where the set is made for eight bits."""
        values = self.channels[channel].values(sites)
        if self.document.bits == 8:
            return (np.rint(values / 257.0) * 257).astype(np.uint16)
        return values

    def weights(self, channel: int) -> F64:
        """(sites,) 0..1."""
        return self.channels[channel].values().astype(np.float64) / FULL

    def state(self) -> SetState:
        """A copy that later strokes do not change. Undercoats are told by the document, or carried anew."""
        copies = tuple(
            Channel(c.cover.copy(), c.paint.copy(), entry.undercoat.value)
            for c, entry in zip(self.channels, self.document.channels, strict=True)
        )
        return SetState(self.id, self.kind, self.document, copies)


def open_sets(shape: OpenShape, state: SurfaceState, revisions: Mapping[UUID, int]) -> dict[UUID, OpenSet]:
    """The sets of a state, on the sites of its shape; painting on them leaves the state as it is."""
    return {
        s.id: OpenSet(
            s.id,
            s.sites,
            s.document,
            revisions[s.id],
            [Channel(c.cover.copy(), c.paint.copy(), c.undercoat) for c in s.channels],
            shape.sites(s.sites),
        )
        for s in state.sets
    }


def carry_down(base: OpenSet, follower: OpenSet, carry: Mixed, channel: int) -> None:
    """Bring one channel of a lower level up to date: what is carried lies under its own paint."""
    follower.channels[channel].undercoat = carry.apply(base.weights(channel)).astype(np.float32)
