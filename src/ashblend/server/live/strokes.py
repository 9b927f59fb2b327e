"""Strokes on an open surface: one at a time, whoever paints it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ashblend.core.brush import Brush, PointerSample, Stroke
from ashblend.core.brush.acts import act_of
from ashblend.core.surface import ChannelAddress, Protection, Refusal
from ashblend.core.surface.fills import sum_of
from ashblend.core.surface.protection import allowed
from ashblend.server.live.outcome import Outcome
from ashblend.server.live.surface import OpenSurface
from ashblend.store.stencils import read_stencil


@dataclass
class _OpenStroke:
    ident: str
    owner: object
    on: ChannelAddress
    label: str
    stroke: Stroke
    channels: list[int]


class Strokes:
    """The stroke that is being painted on a surface, if any."""

    def __init__(self, surface: OpenSurface) -> None:
        self._surface = surface
        self._open: _OpenStroke | None = None

    def begin(self, owner: object, ident: str, on: ChannelAddress, brush: Brush, protect: Protection) -> None:
        surface = self._surface
        if self._open is not None:
            raise Refusal("Another window is painting on this surface.", "Wait until its stroke is done.")
        channel = surface.writable(on)
        found = surface.set_of(on.channel_set)
        shared, others = sum_of(found, on.channel, found.channels)
        image = None
        if brush.stencil is not None:
            with surface.sessions() as session:
                image = read_stencil(session, brush.stencil.image)
        stroke = Stroke(
            found.sites,
            channel,
            on.channel,
            brush,
            allow=allowed(surface.shape, surface.sets, found, protect, None),
            shared=shared,
            image=image,
        )
        label = f"{act_of(brush)[0].verb} {found.document.channels[on.channel].name}"
        self._open = _OpenStroke(ident, owner, on, label, stroke, [on.channel, *others])
        surface.painting = label

    def extend(self, owner: object, ident: str, samples: Sequence[PointerSample]) -> list[bytes]:
        current = self._current(owner, ident)
        sites = current.stroke.extend(samples)
        return self._surface.changed(current.on.channel_set, current.channels, sites)

    def end(self, owner: object, ident: str) -> Outcome:
        surface, current = self._surface, self._current(owner, ident)
        on = current.on
        late = surface.changed(on.channel_set, current.channels, current.stroke.complete())
        deltas = [(on.channel_set, d) for d in current.stroke.finish()]
        self._close()
        try:
            written = surface.ledger.record("stroke", current.label, deltas)
        except Exception:
            for channel_set, delta in deltas:
                delta.reversed().apply(surface.set_of(channel_set).channels[delta.channel])
                surface.changed(channel_set, [delta.channel], delta.sites)
            raise
        followed = [f for s, d in deltas for f in surface.followed(s, d.channel, d.sites)]
        return surface.told(current.label, [*late, *followed], written, stroke=ident)

    def abandon(self, owner: object) -> list[bytes]:
        """Put back what an unfinished stroke of this owner has done."""
        current = self._open
        if current is None or current.owner is not owner:
            return []
        self._close()
        sites = current.stroke.abandon()
        return self._surface.changed(current.on.channel_set, current.channels, np.unique(sites))

    def of(self, owner: object) -> str | None:
        """The unfinished stroke of an owner."""
        return self._open.ident if self._open is not None and self._open.owner is owner else None

    def _close(self) -> None:
        self._open = None
        self._surface.painting = None

    def _current(self, owner: object, ident: str) -> _OpenStroke:
        current = self._open
        if current is None or current.owner is not owner or current.ident != ident:
            raise Refusal("This stroke is not open.", "Lift the pen and begin again.")
        return current
