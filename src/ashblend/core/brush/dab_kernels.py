"""What one dab does to a channel: its fade, its weight gathered into the stroke, its sites written."""

from typing import NamedTuple

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, U16, U32
from ashblend.core.channels.channel import FULL


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
def fade(distances: F32, radius: float, table: F32) -> F32:
    """The falloff at each distance; nothing beyond the radius."""
    out = np.zeros(distances.shape[0], np.float32)
    last = np.int32(table.shape[0] - 1)
    reach, per = np.float32(radius), np.float32(last / radius)
    for k in range(distances.shape[0]):
        if distances[k] <= reach:
            at = min(distances[k] * per, np.float32(last))
            below = min(np.uint32(at), np.uint32(last - 1))
            part = at - np.float32(below)
            out[k] = table[below] + part * (table[below + np.uint32(1)] - table[below])
    return out


@numba.njit(cache=True, nogil=True)
def print_dab(
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
def point_values(offsets: np.ndarray, sites: U32, at_start: bool, held: Held) -> F64:
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
