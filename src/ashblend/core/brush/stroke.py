"""A stroke: from the first dab to pen-up.

The result is worked out from the values at the stroke's start, so going over a place twice in
single coat changes nothing, and the order of dabs doesn't matter there. Acts that carry paint along
(smear) are the exception: they work on what is there now.
"""

from collections.abc import Iterable
from dataclasses import replace

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32, U16, U32
from ashblend.core.brush.acts import act_of
from ashblend.core.brush.diffuse import Diffusion
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.falloff import brush_profile
from ashblend.core.brush.reach import Reach
from ashblend.core.brush.resample import ArcLengthResampler, Dab
from ashblend.core.brush.shared_sum import SharedSum
from ashblend.core.brush.stencil import thin_by_stencil
from ashblend.core.brush.symmetry import copies_of, symmetry_maps
from ashblend.core.channels.channel import FULL, Channel, undercoat_array
from ashblend.core.channels.delta import ChannelDelta, changed_between_sites
from ashblend.core.noise import noise
from ashblend.core.sites.protocol import Sites

EVERYWHERE: F32 = np.ones(1, np.float32)


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
    points: I32,
    fades: F32,
    strength: float,
    flow: float,
    many: bool,
    live: bool,
    gathered: F32,
    offsets: I32,
    point_sites: I32,
    allow: F32,
    undercoat: F32,
    first_cover: U16,
    first_paint: U16,
    cover: U16,
    paint: U16,
    erase: bool,
    gain: float,
    toward: F32,
    changed: U32,
    fresh: U32,
) -> tuple[int, int]:
    """Gather one dab into the stroke and rewrite its sites.

    gathered (points,): the stroke's weight so far, zero where it has not been. allow, undercoat:
    one value for all sites, or one each.
    Returns how many sites went into `changed`, and how many of them are new, into `fresh`.
    """
    changed_count = 0
    fresh_count = 0
    for k in range(points.shape[0]):
        if fades[k] <= 0:
            continue
        p = points[k]
        before = gathered[p]
        if live:
            weight = fades[k] * strength
            if weight <= 0:
                continue
            gathered[p] = max(before, weight)
        else:
            if many:
                weight = min(1 - (1 - before) * (1 - fades[k] * flow), max(strength, before))
            else:
                weight = max(before, fades[k] * strength)
            if weight <= before:
                continue
            gathered[p] = weight
        for j in range(offsets[p], offsets[p + 1]):
            s = point_sites[j]
            if before == 0:
                first_cover[s] = cover[s]
                first_paint[s] = paint[s]
                fresh[fresh_count] = s
                fresh_count += 1
            share = weight * (allow[s] if allow.shape[0] > 1 else allow[0])
            c = (cover[s] if live else first_cover[s]) / FULL
            q = (paint[s] if live else first_paint[s]) / FULL
            c_new = c * (1 - share)
            q_new = q * (1 - share)
            if not erase:
                under = undercoat[s] if undercoat.shape[0] > 1 else undercoat[0]
                value = under * (1 - c) + q
                target = min(1.0, max(0.0, gain * value + toward[k]))
                c_new += share
                q_new += share * target
            cover[s] = np.uint16(np.rint(c_new * FULL))
            paint[s] = np.uint16(np.rint(q_new * FULL))
            changed[changed_count] = s
            changed_count += 1
    return changed_count, fresh_count


@numba.njit(cache=True, nogil=True)
def _point_values(
    points: I32,
    offsets: I32,
    point_sites: I32,
    gathered: F32,
    at_start: bool,
    first_cover: U16,
    first_paint: U16,
    cover: U16,
    paint: U16,
    undercoat: F32,
) -> F64:
    """Mean over the sites of each point of what they hold now, or held when the stroke began."""
    out = np.empty(points.shape[0])
    for k in range(points.shape[0]):
        p = points[k]
        old = at_start and gathered[p] > 0
        total = 0.0
        for j in range(offsets[p], offsets[p + 1]):
            s = point_sites[j]
            c = (first_cover[s] if old else cover[s]) / FULL
            q = (first_paint[s] if old else paint[s]) / FULL
            total += (undercoat[s] if undercoat.shape[0] > 1 else undercoat[0]) * (1 - c) + q
        out[k] = total / (offsets[p + 1] - offsets[p])
    return out


class StrokeRoom:
    """Arrays that strokes work in, made once for a surface so that a dab never allocates by mesh size."""

    def __init__(self, sites: Sites) -> None:
        self.sites = sites
        self.gathered: F32 = np.zeros(sites.weld.point_count, np.float32)
        self.first_cover: U16 = np.empty(sites.count, np.uint16)
        self.first_paint: U16 = np.empty(sites.count, np.uint16)
        self.changed: U32 = np.empty(sites.count, np.uint32)
        self.fresh: U32 = np.empty(sites.count, np.uint32)
        self._diffusion: Diffusion | None = None

    @property
    def diffusion(self) -> Diffusion:
        if self._diffusion is None:
            self._diffusion = Diffusion(self.sites.point_positions, self.sites.fans)
        return self._diffusion


class Stroke:
    """One stroke in progress on one channel; writes into the channel as it goes.

    One stroke at a time may use a room. `finish` or `abandon` must end it.
    allow: (sites,) how far each site may be changed, 0..1, or None for all.
    shared: the channels that give way so that all sum to one, or None.
    image: the stencil's, (rows, columns) in 0..1, when the brush has one.
    """

    def __init__(
        self,
        room: StrokeRoom,
        reach: Reach,
        channel: Channel,
        number: int,
        brush: Brush,
        *,
        allow: F32 | None = None,
        shared: SharedSum | None = None,
        image: F32 | None = None,
    ) -> None:
        if (image is None) != (brush.stencil is None):
            raise ValueError("a stencil needs its image, and an image its stencil")
        self._act, self._brush = act_of(brush)
        self._room = room
        self.sites = room.sites
        self._reach = reach
        self._channel = channel
        self._undercoat = undercoat_array(channel)
        self._number = number
        self._allow = EVERYWHERE if allow is None else allow
        self._shared = shared
        self._image = image
        self._table = brush_profile(brush)
        self._resampler = ArcLengthResampler(brush.spacing * brush.radius)
        symmetry = brush.symmetry
        self._maps = symmetry_maps(symmetry) if symmetry else []
        self._origin = np.array(symmetry.origin if symmetry else (0.0, 0.0, 0.0))
        # A stencil that follows the stroke cannot be laid down before the stroke has a direction.
        self._waits = brush.stencil is not None and brush.stencil.follow
        self._waiting: Dab | None = None
        self._touched: list[U32] = []
        self.kept: dict[str, float] = {}

    # What acts may look at

    @property
    def diffusion(self) -> Diffusion:
        return self._room.diffusion

    def _values(self, points: I32, at_start: bool) -> F64:
        room, weld = self._room, self.sites.weld
        return _point_values(
            points,
            weld.offsets,
            weld.sites,
            room.gathered,
            at_start,
            room.first_cover,
            room.first_paint,
            self._channel.cover,
            self._channel.paint,
            self._undercoat,
        )

    def start_values(self, points: I32) -> F64:
        return self._values(points, True)

    def current_values(self, points: I32) -> F64:
        return self._values(points, False)

    # Painting

    def extend(self, samples: Iterable[PointerSample]) -> U32:
        """Continue through further pointer samples; the sites that changed, ascending, no repeats."""
        return self._print_all(self._directed(self._resampler.push(samples)))

    def complete(self) -> U32:
        """Print what still waits, before the stroke is finished; the sites that changed."""
        waiting, self._waiting = self._waiting, None
        return self._print_all([waiting] if waiting is not None else [])

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

    def _driven(self, dab: Dab) -> tuple[float, float]:
        """What pen pressure and tilt make of the radius and the strength: factors."""
        brush = self._brush
        radius = force = 1.0
        for value, drives, curve in (
            (dab.pressure, brush.pressure_drives, brush.pressure_curve),
            (dab.tilt, brush.tilt_drives, brush.tilt_curve),
        ):
            if drives == "nothing":
                continue
            response = float(curve.at(np.array(value))) if curve is not None else value
            if drives == "radius":
                radius *= response
            else:
                force *= response
        return radius, force

    def _fades(self, points: I32, distances: F32, dab: Dab, radius: float) -> F32:
        brush, positions = self._brush, self.sites.point_positions
        fades = _fade(distances, radius, self._table)
        if brush.noise is not None and brush.noise.amount > 0:
            grain = noise(positions[points], brush.noise.metres, brush.noise.seed)
            fades *= 1 - np.float32(brush.noise.amount) * grain
        if brush.stencil is not None and self._image is not None:
            thin_by_stencil(positions, points, fades, brush.stencil, self._image, dab, radius)
        return fades

    def _print(self, dab: Dab) -> U32:
        brush, act, room = self._brush, self._act, self._room
        wider, force = self._driven(dab)
        radius = brush.radius * wider
        if radius <= 0 or force <= 0:
            return np.empty(0, np.uint32)
        points, distances = self._reach.around(
            dab.position, dab.normal, radius * act.reach(brush), brush.facing_limit
        )
        if points.size == 0:
            return np.empty(0, np.uint32)
        gain, toward = 0.0, EVERYWHERE
        if act.toward is not None:
            wanted = act.toward(brush, self, points, dab, radius)
            gain, toward = wanted.gain, wanted.offsets
        changed, fresh = _print_dab(
            points,
            self._fades(points, distances, dab, radius),
            brush.strength * force,
            brush.flow * force,
            brush.coat == "many",
            act.live,
            room.gathered,
            self.sites.weld.offsets,
            self.sites.weld.sites,
            self._allow,
            self._undercoat,
            room.first_cover,
            room.first_paint,
            self._channel.cover,
            self._channel.paint,
            act.toward is None,
            gain,
            toward,
            room.changed,
            room.fresh,
        )
        now = room.changed[:changed].copy()
        if fresh:
            new = room.fresh[:fresh].copy()
            self._touched.append(new)
            if self._shared is not None:
                self._shared.remember(new)
        if self._shared is not None:
            self._shared.give_way(self._channel, now)
        return now

    # The end

    def finish(self) -> list[ChannelDelta]:
        """End the stroke; what it changed, both sides, in each channel it changed."""
        self.complete()
        sites = self._clear()
        room = self._room
        deltas = [
            changed_between_sites(
                self._number, sites, room.first_cover[sites], room.first_paint[sites], self._channel
            )
        ]
        if self._shared is not None:
            deltas += self._shared.finish(sites)
        return [delta for delta in deltas if delta.sites.size]

    def abandon(self) -> U32:
        """End the stroke and put everything back; the sites put back."""
        sites = self._clear()
        self._channel.cover[sites] = self._room.first_cover[sites]
        self._channel.paint[sites] = self._room.first_paint[sites]
        if self._shared is not None:
            self._shared.abandon(sites)
        return sites

    def _clear(self) -> U32:
        sites = np.sort(np.concatenate(self._touched)) if self._touched else np.empty(0, np.uint32)
        self._room.gathered[self.sites.weld.point_of_site[sites]] = 0
        self._touched = []
        return sites
