"""A stroke: from the first dab to pen-up.

The result is worked out from the values at the stroke's start, so going over a place twice in
single coat changes nothing, and the order of dabs doesn't matter there. Acts that carry paint along
(smear) are the exception: they work on what is there now.

What a stroke remembers lies in pages that only exist where it has been; nothing is made for the mesh.
"""

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import NamedTuple

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, U16, U32, zero_pages
from ashblend.core.brush.acts import act_of
from ashblend.core.brush.diffuse import flow_over, smoothed
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.falloff import brush_profile
from ashblend.core.brush.reach import Reach, march
from ashblend.core.brush.resample import ArcLengthResampler, Dab
from ashblend.core.brush.shared_sum import SharedSum
from ashblend.core.brush.stencil import thin_by_stencil
from ashblend.core.brush.symmetry import copies_of, symmetry_maps
from ashblend.core.channels.channel import FULL, Channel, kernel_undercoat
from ashblend.core.channels.delta import ChannelDelta, changed_between_sites
from ashblend.core.noise import noise
from ashblend.core.sites.patch import Graph, Patch, Points
from ashblend.core.sites.protocol import Sites

EVERYWHERE: F32 = np.ones(1, np.float32)
Allow = Callable[[U32], F32]


class Held(NamedTuple):
    """A channel's planes, and what they held where the stroke has been, for kernels.

    gathered: the stroke's weight so far. under: the undercoat's plane, or one number where `constant`
    is meant. All by number of site.
    """

    cover: U16
    paint: U16
    under: U16
    constant: float
    first_cover: U16
    first_paint: U16
    gathered: F32


class Coat(NamedTuple):
    """How a dab adds to the stroke. many, live, erase: see `Brush` and `Act`."""

    strength: float
    flow: float
    many: bool
    live: bool
    erase: bool


class Aim(NamedTuple):
    """What points are painted toward: gain · value + toward; allow: by site of the patch, or one for all."""

    gain: float
    toward: F32
    allow: F32


@numba.njit(cache=True, nogil=True)
def _fade(distances: F32, radius: float, table: F32) -> F32:
    """The falloff at each distance; nothing beyond the radius."""
    out = np.zeros(distances.shape[0], np.float32)
    last = table.shape[0] - 1
    for k in range(distances.shape[0]):
        t = distances[k] / radius
        if t <= 1.0:
            at = t * last
            below = min(int(at), last - 1)
            out[k] = table[below] + (at - below) * (table[below + 1] - table[below])
    return out


@numba.njit(cache=True, nogil=True)
def _print_dab(
    offsets: np.ndarray, sites: U32, fades: F32, coat: Coat, aim: Aim, held: Held
) -> tuple[U32, U32]:
    """Gather one dab into the stroke and rewrite its sites: those changed, and those new to the stroke."""
    changed = np.empty(sites.shape[0], np.uint32)
    fresh = np.empty(sites.shape[0], np.uint32)
    changed_count = 0
    fresh_count = 0
    for k in range(fades.shape[0]):
        if fades[k] <= 0:
            continue
        before = held.gathered[sites[offsets[k]]]
        if coat.live:
            weight = fades[k] * coat.strength
            if weight <= 0:
                continue
            now = max(before, weight)
        else:
            if coat.many:
                weight = min(1 - (1 - before) * (1 - fades[k] * coat.flow), max(coat.strength, before))
            else:
                weight = max(before, fades[k] * coat.strength)
            if weight <= before:
                continue
            now = weight
        for j in range(offsets[k], offsets[k + 1]):
            s = sites[j]
            held.gathered[s] = now
            if before == 0:
                held.first_cover[s] = held.cover[s]
                held.first_paint[s] = held.paint[s]
                fresh[fresh_count] = s
                fresh_count += 1
            share = weight * (aim.allow[j] if aim.allow.shape[0] > 1 else aim.allow[0])
            c = (held.cover[s] if coat.live else held.first_cover[s]) / FULL
            q = (held.paint[s] if coat.live else held.first_paint[s]) / FULL
            c_new = c * (1 - share)
            q_new = q * (1 - share)
            if not coat.erase:
                under = held.under[s] / FULL if held.under.shape[0] > 1 else held.constant
                value = under * (1 - c) + q
                target = min(1.0, max(0.0, aim.gain * value + aim.toward[k]))
                c_new += share
                q_new += share * target
            held.cover[s] = np.uint16(np.rint(c_new * FULL))
            held.paint[s] = np.uint16(np.rint(q_new * FULL))
            changed[changed_count] = s
            changed_count += 1
    return changed[:changed_count], fresh[:fresh_count]


@numba.njit(cache=True, nogil=True)
def _point_values(offsets: np.ndarray, sites: U32, at_start: bool, held: Held) -> F64:
    """Mean over the sites of each point of what they hold now, or held when the stroke began."""
    out = np.empty(offsets.shape[0] - 1)
    for k in range(out.shape[0]):
        total = 0.0
        for j in range(offsets[k], offsets[k + 1]):
            s = sites[j]
            old = at_start and held.gathered[s] > 0
            c = (held.first_cover[s] if old else held.cover[s]) / FULL
            q = (held.first_paint[s] if old else held.paint[s]) / FULL
            total += (held.under[s] / FULL if held.under.shape[0] > 1 else held.constant) * (1 - c) + q
        out[k] = total / (offsets[k + 1] - offsets[k])
    return out


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
            rows, _ = march(dab.graph, new, np.zeros(new.shape[0]), self.AROUND * self._length, fronts=False)
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

    `finish` or `abandon` must end it. allow: how far sites may be changed, 0..1, asked for each dab's
    own; None for all fully. shared: the channels that give way so that all sum to one, or None.
    image: the stencil's, (rows, columns) in 0..1, when the brush has one.
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
    ) -> None:
        if (image is None) != (brush.stencil is None):
            raise ValueError("a stencil needs its image, and an image its stencil")
        self._act, self._brush = act_of(brush)
        self.reach = Reach(sites, brush.reach == "skin")
        self._channel = channel
        self._number = number
        extent = sites.layout.extent
        self._held = Held(
            channel.cover,
            channel.paint,
            *kernel_undercoat(channel),
            zero_pages(extent, np.uint16),
            zero_pages(extent, np.uint16),
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
        self._waiting: Dab | None = None
        self._touched: list[U32] = []
        self.kept: dict[str, float] = {}
        self.evened = Evened(self, extent)

    def values(self, points: Points, at_start: bool) -> F64:
        """(k,) what points hold now, or held when the stroke began, 0..1."""
        return _point_values(points.offsets, points.sites, at_start, self._held)

    # Painting

    def extend(self, samples: Iterable[PointerSample]) -> U32:
        """Continue through further pointer samples; the sites that changed, ascending, no repeats."""
        return self._print_all(self._directed(self._resampler.push(samples)))

    def complete(self) -> U32:
        """Print what still waits, before the stroke is finished; the sites that changed."""
        waiting, self._waiting = self._waiting, None
        last = self._resampler.end()
        return self._print_all([waiting, *last] if waiting is not None else last)

    def _directed(self, dabs: list[Dab]) -> list[Dab]:
        """Hold the first dab back until the second tells where the stroke goes."""
        if not self._waits or not dabs:
            return dabs
        if self._waiting is not None:
            dabs = [replace(self._waiting, direction=dabs[0].direction), *dabs]
            self._waiting = None
        elif dabs[0].number == 0:
            if len(dabs) == 1:
                self._waiting = dabs[0]
                return []
            dabs = [replace(dabs[0], direction=dabs[1].direction), *dabs[1:]]
        return dabs

    def _print_all(self, dabs: list[Dab]) -> U32:
        if self._maps:
            dabs = [copy for dab in dabs for copy in copies_of(dab, self._maps, self._origin)]
        changed = [self._print(dab) for dab in dabs]
        if not changed:
            return np.empty(0, np.uint32)
        return np.unique(np.concatenate(changed)) if len(changed) > 1 else np.sort(changed[0])

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
        fades = _fade(patch.distances, radius, self._table)
        if brush.noise is not None and brush.noise.amount > 0:
            grain = noise(patch.positions, brush.noise.metres, brush.noise.seed)
            fades *= 1 - np.float32(brush.noise.amount) * grain
        if brush.stencil is not None and self._image is not None:
            thin_by_stencil(patch.positions, fades, brush.stencil, self._image, dab, radius)
        return fades

    def _print(self, dab: Dab) -> U32:
        brush, act = self._brush, self._act
        wider, force = self._driven(dab.pressure, dab.tilt)
        radius = brush.radius * wider
        if radius <= 0 or force <= 0:
            return np.empty(0, np.uint32)
        patch = self.reach.around(dab.position, dab.normal, radius * act.reach(brush), brush.facing_limit)
        if patch.ids.size == 0:
            return np.empty(0, np.uint32)
        gain, toward = 0.0, EVERYWHERE
        if act.toward is not None:
            wanted = act.toward(brush, DabView(self, patch, radius), dab, radius)
            gain, toward = wanted.gain, wanted.offsets
        allow = EVERYWHERE if self._allow is None else self._allow(patch.sites)
        changed, fresh = _print_dab(
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
        sites = np.sort(np.concatenate(self._touched)) if self._touched else np.empty(0, np.uint32)
        self._touched = []
        return sites
