"""A stroke: from the first dab to pen-up.

The result is worked out from the values at the stroke's start, so going over a place twice in
single coat changes nothing, and the order of dabs doesn't matter there. Acts that carry paint along
(smear) are the exception: they work on what is there now.

What a stroke remembers lies in pages that only exist where it has been; nothing is made for the mesh.
"""

import time
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np

from ashblend.core.arrays import F32, F64, U32, zero_pages
from ashblend.core.brush.acts.registry import act_of
from ashblend.core.brush.ahead import LARGE, Ahead
from ashblend.core.brush.dab_kernels import Aim, Coat, Held, fade, point_values
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.falloff import brush_profile
from ashblend.core.brush.print_dab import print_dab
from ashblend.core.brush.reach import Reach
from ashblend.core.brush.resample import ArcLengthResampler, Dab
from ashblend.core.brush.shared_sum import SharedSum
from ashblend.core.brush.stencil import thin_by_stencil
from ashblend.core.brush.symmetry import copies_of, symmetry_maps
from ashblend.core.channels.channel import Channel, kernel_undercoat
from ashblend.core.channels.delta import ChannelDelta, changed_between_sites
from ashblend.core.noise import noise
from ashblend.core.sites.diffuse import flow_over, smoothed
from ashblend.core.sites.march import march
from ashblend.core.sites.patch import NO_PATCH, Graph, Patch, Points
from ashblend.core.sites.protocol import Sites

EVERYWHERE: F32 = np.ones(1, np.float32)
Allow = Callable[[U32], F32]


class DabView:
    """One dab as an act sees it; see `StrokeView`."""

    def __init__(self, stroke: "Stroke", patch: Patch, radius: float) -> None:
        self._stroke = stroke
        self._radius = radius
        self.patch = patch
        self.kept = stroke.kept
        self._graph: Graph | None = None

    @property
    def graph(self) -> Graph:
        if self._graph is None:
            self._graph = self._stroke.reach.graph(self.patch)
        return self._graph

    def values(self, at_start: bool) -> F64:
        return self._stroke.values(self.patch, at_start)

    def values_with_rim(self, at_start: bool) -> F64:
        rim = self.graph.rim
        return np.concatenate([self.values(at_start), self._stroke.values(rim, at_start)])

    def mean(self, length: float) -> F64:
        return self._stroke.evened.at(self, length, self._radius)


class Evened:
    """The values at the stroke's start, evened out; kept, since dabs overlap.

    They do not depend on the dab, so each dab works them out only for the points that are new to the
    stroke, over those and what lies two lengths around them: a third of a dab's.
    """

    AROUND = 2.0

    def __init__(self, stroke: "Stroke", extent: int) -> None:
        self._stroke = stroke
        self._extent = extent
        self._length = 0.0

    def _begin(self, length: float) -> None:
        # The pen may drive the radius, and with it the length.
        if abs(length - self._length) > 0.02 * length:
            self._length = length
            self._known = zero_pages(self._extent, np.bool_)
            self._values = zero_pages(self._extent, np.float32)

    def at(self, dab: DabView, length: float, radius: float) -> F64:
        """(k,) of the points of a dab's patch; where it paints nothing, any values."""
        self._begin(length)
        patch = dab.patch
        sites = patch.sites[patch.offsets[:-1]]
        new = np.flatnonzero((patch.distances <= radius) & ~self._known[sites]).astype(np.int32)
        if new.size:
            rows, _ = march(dab.graph, new, np.zeros(new.shape[0]), self.AROUND * self._length)
            around = patch.only(rows)
            graph = self._stroke.reach.graph(around)
            start = np.concatenate([self._stroke.values(around, True), self._stroke.values(graph.rim, True)])
            even = smoothed(flow_over(graph), start, self._length)
            at = np.searchsorted(rows, new)
            self._values[sites[new]] = even[at]
            self._known[sites[new]] = True
        return self._values[sites].astype(np.float64)


class Stroke:
    """One stroke in progress on one channel; writes into the channel as it goes.

    `finish` or `abandon` must end it. Raises ValueError for an act that is none for the channel's kind of value. allow: how far sites may be changed, 0..1, asked for each dab's
    own; None for all fully. shared: the channels that give way so that all sum to one, or None.
    image: the stencil's, (rows, columns) in 0..1, when the brush has one. steady: the surface stays as it is while the stroke
    goes on; else, as where heights are painted, nothing is reached before it is printed.
    """

    def __init__(
        self,
        sites: Sites,
        channel: Channel,
        number: int,
        brush: Brush,
        *,
        allow: Allow | None = None,
        shared: SharedSum | None = None,
        image: F32 | None = None,
        steady: bool = True,
    ) -> None:
        if (image is None) != (brush.stencil is None):
            raise ValueError("a stencil needs its image, and an image its stencil")
        self._act, self._brush = act_of(brush)
        if self._brush.act not in channel.kind.acts:
            raise ValueError(f"a {channel.kind.name} cannot be painted with {self._brush.act}")
        self.reach = Reach(sites, brush.reach == "skin")
        self._ahead = Ahead(lambda: Reach(sites, brush.reach == "skin"), self._reached)
        self._steady = steady
        self._large = False
        self._channel = channel
        self._number = number
        extent = sites.layout.extent
        self._held = Held(
            channel.cover,
            channel.paint,
            *kernel_undercoat(channel),
            zero_pages(extent, np.uint16),
            channel.kind.zeros(extent),
            zero_pages(extent, np.float32),
        )
        self._allow = allow
        self._shared = shared
        self._image = image
        self._table = brush_profile(brush)
        self._resampler = ArcLengthResampler(
            brush.spacing * brush.radius, lambda pressure, tilt: self._driven(pressure, tilt)[0]
        )
        symmetry = brush.symmetry
        self._maps = symmetry_maps(symmetry) if symmetry else []
        self._origin = np.array(symmetry.origin if symmetry else (0.0, 0.0, 0.0))
        # A stencil that follows the stroke cannot be laid down before the stroke has a direction.
        self._waits = brush.stencil is not None and brush.stencil.follow
        self._held_back: Dab | None = None
        self._due: deque[Dab] = deque()
        self._touched: list[U32] = []
        self.kept: dict[str, float] = {}
        self.evened = Evened(self, extent)

    def values(self, points: Points, at_start: bool) -> F64:
        """(k,) what points hold now, or held when the stroke began, 0..1."""
        return point_values(points.offsets, points.sites, at_start, self._held)

    # Painting

    def extend(self, samples: Iterable[PointerSample]) -> U32:
        """Continue through further pointer samples; the sites that changed, ascending, no repeats."""
        self.push(samples)
        return self.print_some(np.inf)

    def push(self, samples: Iterable[PointerSample], most: int | None = None) -> None:
        """Let dabs along further pointer samples wait for `print_some`.

        most: how many may wait, copies counted. Raises TooManyDabs beyond; none of these waits then.
        """
        copies = max(1, len(self._maps))
        room = None if most is None else most // copies - len(self._due) // copies
        self._wait(self._directed(self._resampler.push(samples, room)))

    def _wait(self, dabs: list[Dab]) -> None:
        if self._maps:
            dabs = [copy for dab in dabs for copy in copies_of(dab, self._maps, self._origin)]
        self._due.extend(dabs)

    @property
    def waiting(self) -> int:
        """Dabs that wait to be printed."""
        return len(self._due)

    def print_some(self, seconds: float) -> U32:
        """Print waiting dabs, at least one, for about so long; the sites that changed, ascending, no repeats."""
        until = time.monotonic() + seconds
        changed = []
        while self._due:
            if self._steady and self._large and len(self._due) > 1:
                self._ahead.begin(self._due)
            changed.append(self._print(self._due.popleft()))
            if time.monotonic() > until:
                break
        if not changed:
            return np.empty(0, np.uint32)
        if len(changed) == 1:
            # A dab reaches a site once.
            return np.sort(changed[0])
        # Sorted, then once each: np.unique counts them in a table, which took ten times as long.
        every = np.sort(np.concatenate(changed))
        return every[np.concatenate([[True], every[1:] != every[:-1]])] if every.size else every

    def forget_waiting(self) -> None:
        """Let what waits never be printed."""
        self._ahead.forget()
        self._due.clear()

    def complete(self) -> U32:
        """Print what still waits, before the stroke is finished; the sites that changed."""
        held, self._held_back = self._held_back, None
        last = self._resampler.end()
        self._wait([held, *last] if held is not None else last)
        return self.print_some(np.inf)

    def _directed(self, dabs: list[Dab]) -> list[Dab]:
        """Hold the first dab back until the second tells where the stroke goes."""
        if not self._waits or not dabs:
            return dabs
        if self._held_back is not None:
            dabs = [replace(self._held_back, direction=dabs[0].direction), *dabs]
            self._held_back = None
        elif dabs[0].number == 0:
            if len(dabs) == 1:
                self._held_back = dabs[0]
                return []
            dabs = [replace(dabs[0], direction=dabs[1].direction), *dabs[1:]]
        return dabs

    def _driven(self, pressure: float, tilt: float) -> tuple[float, float]:
        """What pen pressure and tilt make of the radius and the strength: factors."""
        brush = self._brush
        radius = force = 1.0
        for value, drives, curve in (
            (pressure, brush.pressure_drives, brush.pressure_curve),
            (tilt, brush.tilt_drives, brush.tilt_curve),
        ):
            if drives == "nothing":
                continue
            response = float(curve.at(np.array(value))) if curve is not None else value
            if drives == "radius":
                radius *= response
            else:
                force *= response
        return radius, force

    def _fades(self, patch: Patch, dab: Dab, radius: float) -> F32:
        brush = self._brush
        fades = fade(patch.distances, radius, self._table)
        if brush.noise is not None and brush.noise.amount > 0:
            grain = noise(patch.positions, brush.noise.metres, brush.noise.seed)
            fades *= 1 - np.float32(brush.noise.amount) * grain
        if brush.stencil is not None and self._image is not None:
            thin_by_stencil(patch.positions, fades, brush.stencil, self._image, dab, radius)
        return fades

    def _reached(self, reach: Reach, dab: Dab) -> Patch:
        radius = self._brush.radius * self._driven(dab.pressure, dab.tilt)[0]
        if radius <= 0:
            return NO_PATCH
        return reach.around(
            dab.position, dab.normal, radius * self._act.reach(self._brush), self._brush.facing_limit
        )

    def _print(self, dab: Dab) -> U32:
        brush, act = self._brush, self._act
        patch = self._ahead.take() or self._reached(self.reach, dab)
        wider, force = self._driven(dab.pressure, dab.tilt)
        radius = brush.radius * wider
        self._large = patch.ids.size >= LARGE
        if patch.ids.size == 0 or force <= 0:
            return np.empty(0, np.uint32)
        gain, toward = 0.0, EVERYWHERE
        if act.toward is not None:
            wanted = act.toward(brush, DabView(self, patch, radius), dab, radius)
            gain, toward = wanted.gain, wanted.offsets
        allow = EVERYWHERE if self._allow is None else self._allow(patch.sites)
        changed, fresh = print_dab(
            self._channel.kind,
            patch.offsets,
            patch.sites,
            self._fades(patch, dab, radius),
            Coat(
                brush.strength * force,
                brush.flow * force,
                brush.coat == "many",
                act.live,
                act.toward is None,
            ),
            Aim(gain, toward, allow),
            self._held,
            brush.numbers,
        )
        if fresh.size:
            self._touched.append(fresh)
            if self._shared is not None:
                self._shared.remember(fresh)
        if self._shared is not None:
            self._shared.give_way(self._channel, changed)
        return changed

    # The end

    def finish(self) -> list[ChannelDelta]:
        """End the stroke; what it changed, both sides, in each channel it changed."""
        self.complete()
        sites = self._clear()
        deltas = [
            changed_between_sites(
                self._number,
                sites,
                self._held.first_cover[sites],
                self._held.first_paint[sites],
                self._channel,
            )
        ]
        if self._shared is not None:
            deltas += self._shared.finish(sites)
        return [delta for delta in deltas if delta.sites.size]

    def abandon(self) -> U32:
        """End the stroke and put everything back; the sites put back."""
        sites = self._clear()
        self._channel.cover[sites] = self._held.first_cover[sites]
        self._channel.paint[sites] = self._held.first_paint[sites]
        if self._shared is not None:
            self._shared.abandon(sites)
        return sites

    def _clear(self) -> U32:
        self._ahead.close()
        sites = np.sort(np.concatenate(self._touched)) if self._touched else np.empty(0, np.uint32)
        self._touched = []
        return sites
