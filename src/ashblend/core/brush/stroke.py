"""A stroke: from the first dab to pen-up.

The result is worked out from the values at the stroke's start, so going over a place twice in
single coat changes nothing, and the order of dabs doesn't matter there.
"""

from collections.abc import Iterable

import numba
import numpy as np

from ashblend.core.arrays import F32, I32, U16, U32
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.falloff import falloff_table
from ashblend.core.brush.reach import Reach
from ashblend.core.brush.resample import ArcLengthResampler, Dab
from ashblend.core.channels.channel import FULL, Channel
from ashblend.core.channels.delta import ChannelDelta
from ashblend.core.sites.protocol import Sites


@numba.njit(cache=True)
def _print_dab(
    points: I32,
    distances: F32,
    radius: float,
    table: F32,
    strength: float,
    flow: float,
    many: bool,
    gathered: F32,
    offsets: I32,
    point_sites: I32,
    first_cover: U16,
    first_paint: U16,
    cover: U16,
    paint: U16,
    erase: bool,
    target: float,
    changed: U32,
    fresh: U32,
) -> tuple[int, int]:
    """Gather one dab into the stroke and rewrite its sites.

    gathered (points,): the stroke's weight so far, zero where it has not been.
    Returns how many sites went into `changed`, and how many of them are new, into `fresh`.
    """
    changed_count = 0
    fresh_count = 0
    last = table.shape[0] - 1
    for k in range(points.shape[0]):
        p = points[k]
        at = min(distances[k] / radius, 1.0) * last
        below = min(int(at), last - 1)
        fade = table[below] + (at - below) * (table[below + 1] - table[below])
        before = gathered[p]
        if many:
            weight = min(1 - (1 - before) * (1 - fade * flow), max(strength, before))
        else:
            weight = max(before, fade * strength)
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
            c = first_cover[s] / FULL
            q = first_paint[s] / FULL
            c_new = c * (1 - weight)
            q_new = q * (1 - weight)
            if not erase:
                c_new += weight
                q_new += weight * target
            cover[s] = np.uint16(np.rint(c_new * FULL))
            paint[s] = np.uint16(np.rint(q_new * FULL))
            changed[changed_count] = s
            changed_count += 1
    return changed_count, fresh_count


class StrokeRoom:
    """Arrays that strokes work in, made once for a surface so that a dab never allocates by mesh size."""

    def __init__(self, sites: Sites) -> None:
        self.gathered: F32 = np.zeros(sites.weld.point_count, np.float32)
        self.first_cover: U16 = np.empty(sites.count, np.uint16)
        self.first_paint: U16 = np.empty(sites.count, np.uint16)
        self.changed: U32 = np.empty(sites.count, np.uint32)
        self.fresh: U32 = np.empty(sites.count, np.uint32)


class Stroke:
    """One stroke in progress on one channel; writes into the channel as it goes.

    One stroke at a time may use a room. `finish` or `abandon` must end it.
    """

    def __init__(
        self, sites: Sites, room: StrokeRoom, reach: Reach, channel: Channel, number: int, brush: Brush
    ) -> None:
        self._sites = sites
        self._room = room
        self._reach = reach
        self._channel = channel
        self._number = number
        self._brush = brush
        self._table = falloff_table(brush.falloff)
        self._resampler = ArcLengthResampler(brush.spacing * brush.radius)
        self._touched: list[U32] = []

    def extend(self, samples: Iterable[PointerSample]) -> U32:
        """Continue through further pointer samples; the sites that changed, ascending, no repeats."""
        changed = [self._print(dab) for dab in self._resampler.push(samples)]
        if not changed:
            return np.empty(0, np.uint32)
        return np.unique(np.concatenate(changed)) if len(changed) > 1 else np.sort(changed[0])

    def _print(self, dab: Dab) -> U32:
        brush = self._brush
        press = 1.0 if brush.pressure_drives == "nothing" else dab.pressure
        radius = brush.radius * press if brush.pressure_drives == "radius" else brush.radius
        force = press if brush.pressure_drives == "strength" else 1.0
        if radius <= 0 or force <= 0:
            return np.empty(0, np.uint32)
        points, distances = self._reach.around(dab.position, dab.normal, radius, brush.facing_limit)
        room = self._room
        changed, fresh = _print_dab(
            points,
            distances,
            radius,
            self._table,
            brush.strength * force,
            brush.flow * force,
            brush.coat == "many",
            room.gathered,
            self._sites.weld.offsets,
            self._sites.weld.sites,
            room.first_cover,
            room.first_paint,
            self._channel.cover,
            self._channel.paint,
            brush.act == "erase",
            brush.target,
            room.changed,
            room.fresh,
        )
        if fresh:
            self._touched.append(room.fresh[:fresh].copy())
        return room.changed[:changed].copy()

    def finish(self) -> ChannelDelta:
        """End the stroke; what it changed, both sides."""
        sites = self._clear()
        room = self._room
        before_cover, before_paint = room.first_cover[sites], room.first_paint[sites]
        after_cover, after_paint = self._channel.cover[sites], self._channel.paint[sites]
        differs = (before_cover != after_cover) | (before_paint != after_paint)
        return ChannelDelta(
            self._number,
            sites[differs],
            before_cover[differs],
            before_paint[differs],
            after_cover[differs],
            after_paint[differs],
        )

    def abandon(self) -> U32:
        """End the stroke and put everything back; the sites put back."""
        sites = self._clear()
        self._channel.cover[sites] = self._room.first_cover[sites]
        self._channel.paint[sites] = self._room.first_paint[sites]
        return sites

    def _clear(self) -> U32:
        sites = np.sort(np.concatenate(self._touched)) if self._touched else np.empty(0, np.uint32)
        self._room.gathered[self._sites.weld.point_of_site[sites]] = 0
        self._touched = []
        return sites
