"""Strokes on an open surface: one at a time, whoever paints it.

Dabs are printed in slices of SLICE seconds, between which everything else on the surface's thread is heard. So
many may wait as MOST_DABS; a stroke whose pen is up has MOST_SECONDS to be printed, and one whose window falls
silent for SILENCE seconds ends where it stood.
"""

import time
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.brush.acts.registry import act_of
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.path import smooth_way
from ashblend.core.brush.resample import TooManyDabs
from ashblend.core.brush.stroke import Stroke
from ashblend.core.surface.address import ChannelAddress, Protection
from ashblend.core.surface.fills import sum_of
from ashblend.core.surface.protection import allowed
from ashblend.core.surface.refusal import Refusal
from ashblend.session.outcome import AnyChange, Outcome
from ashblend.session.surface import OpenSurface
from ashblend.store.stencils import read_stencil

SLICE = 0.02
MOST_DABS = 20_000
MOST_SECONDS = 30.0
SILENCE = 5.0


class PutBack(Refusal):
    """A stroke that was refused while it was painted. changes: what is another by its being put back."""

    def __init__(self, changes: list[AnyChange], problem: str, remedy: str) -> None:
        super().__init__(problem, remedy)
        self.changes = changes


@dataclass
class _OpenStroke:
    """heard: when its window last said something of it, or its dabs were last printed. lifted: when the pen came up, or None."""

    ident: str
    owner: object
    on: ChannelAddress
    label: str
    stroke: Stroke
    channels: list[int]
    heard: float
    lifted: float | None = None


@dataclass(frozen=True)
class Turn:
    """changes: by what was printed. over: the stroke is to be ended now; why: what its window should know about that.
    rests: nothing waits to be printed.
    """

    changes: list[AnyChange]
    over: bool
    rests: bool
    why: str | None = None


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
        surface.keep_undone()
        found = surface.set_of(on.channel_set)
        shared, others = sum_of(found, on.channel, found.channels)
        image = None
        if brush.stencil is not None:
            with surface.sessions() as session:
                image = read_stencil(session, brush.stencil.image)
        act, meant = act_of(brush)
        kind = channel.kind
        # What lifts paint puts no numbers down.
        lacks = kind.width > 1 and act.toward is not None and len(brush.numbers or ()) != kind.width
        if meant.act not in kind.acts or lacks:
            raise Refusal(f"A {kind.name} cannot be painted like this.", "Choose another brush.")
        stroke = Stroke(
            found.sites,
            channel,
            on.channel,
            brush,
            allow=allowed(surface.shape, surface.sets, found, protect, None),
            shared=shared,
            image=image,
            steady=not found.kind.steers,
        )
        label = f"{act.verb} {surface.name_of(on)}"
        self._open = _OpenStroke(ident, owner, on, label, stroke, [on.channel, *others], time.monotonic())
        surface.painting = label

    def along(
        self, owner: object, ident: str, on: ChannelAddress, brush: Brush, protect: Protection, places: F64
    ) -> list[AnyChange]:
        """A whole stroke along a smooth way through places (k, 3). Raises Refusal."""
        try:
            way = smooth_way(places, max(brush.radius / 2, 1e-6))
        except ValueError:
            raise Refusal("A path has two places at least.", "Click where it should go.") from None
        at, normals = self._surface.shape.dropped(way)
        self.begin(owner, ident, on, brush, protect)
        pairs = zip(at.tolist(), normals.tolist(), strict=True)
        changes = self.extend(owner, ident, [PointerSample(position=p, normal=n) for p, n in pairs])
        self.lift(owner, ident)
        return changes

    def extend(self, owner: object, ident: str, samples: Sequence[PointerSample]) -> list[AnyChange]:
        """Let further dabs wait, and print some. Raises Refusal; the stroke is put back then."""
        current = self._current(owner, ident)
        current.heard = time.monotonic()
        try:
            current.stroke.push(samples, MOST_DABS)
        except TooManyDabs:
            raise PutBack(
                self.abandon(owner),
                f"The stroke would need more than {MOST_DABS:,} dabs at once; it was put back.",
                "Take a larger radius, a wider spacing or fewer copies, or draw in shorter strokes.",
            ) from None
        return self.go_on()

    def go_on(self) -> list[AnyChange]:
        """Print for a slice of time."""
        current = self._open
        if current is None or not current.stroke.waiting:
            return []
        sites = current.stroke.print_some(SLICE)
        # Whoever waits for its dabs is not silent; the first ones may wait for kernels to be compiled.
        current.heard = time.monotonic()
        return self._surface.changed(current.on.channel_set, current.channels, sites)

    @property
    def waiting(self) -> bool:
        """Whether dabs wait to be printed."""
        return self._open is not None and self._open.stroke.waiting > 0

    def lift(self, owner: object, ident: str) -> None:
        """The pen came up: what waits is printed, then the stroke ends."""
        current = self._current(owner, ident)
        if current.lifted is None:
            current.lifted = time.monotonic()

    def turn(self) -> Turn:
        """What is next to do for the open stroke, done as far as a slice of time goes. Whoever drives strokes, does it by
        turns until one is over, and ends the stroke then.
        """
        changes = self.go_on()
        current = self._open
        if current is None:
            return Turn(changes, over=False, rests=True)
        lifted, now = current.lifted, time.monotonic()
        why = None
        if lifted is not None and now - lifted > MOST_SECONDS:
            why = f"The stroke took more than {MOST_SECONDS:.0f} s; it ends where it stood."
        if lifted is None and now - current.heard > SILENCE:
            why = f"The painting window was silent for {SILENCE:.0f} s; its stroke ends where it stood."
        rests = not current.stroke.waiting
        return Turn(changes, over=why is not None or (lifted is not None and rests), rests=rests, why=why)

    def finish(self, owner: object, ident: str) -> Outcome:
        """Lift the pen, print all that waits and keep it; for scripts, which keep nobody waiting. Raises Refusal."""
        self.lift(owner, ident)
        while not self.turn().over:
            pass
        return self.end(owner, ident)

    @property
    def lifted(self) -> bool:
        return self._open is not None and self._open.lifted is not None

    @property
    def open(self) -> tuple[object, str] | None:
        """Owner and name of the stroke that is open."""
        return None if self._open is None else (self._open.owner, self._open.ident)

    def end(self, owner: object, ident: str) -> Outcome:
        """End the stroke where it stands, and keep it."""
        surface, current = self._surface, self._current(owner, ident)
        current.stroke.forget_waiting()
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

    def abandon(self, owner: object) -> list[AnyChange]:
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
