"""What one dab does: its fade, its weight gathered into the stroke, and for weights its sites written in one go."""

from typing import NamedTuple

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, U16, U32
from ashblend.core.channels.quantise import FULL


class Held(NamedTuple):
    """A channel's planes, and what they held where the stroke has been, for kernels.

    gathered: the stroke's weight so far. under: the undercoat's plane, or one number where `constant`
    is meant. All by number of site; paint may be several numbers wide.
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


@numba.njit(cache=True, nogil=True, inline="always")
def _weight(before: float, fade: float, coat: Coat) -> float:
    """What a point is painted by now; nothing where the dab adds nothing to the stroke."""
    if fade <= 0:
        return 0.0
    if coat.live:
        return fade * coat.strength
    if coat.many:
        weight = min(1 - (1 - before) * (1 - fade * coat.flow), max(coat.strength, before))
    else:
        weight = max(before, fade * coat.strength)
    return weight if weight > before else 0.0


@numba.njit(cache=True, nogil=True)
def gather_dab(
    offsets: np.ndarray, sites: U32, fades: F32, coat: Coat, allow: F32, gathered: F32
) -> tuple[U32, F64, U32]:
    """Gather one dab into the stroke: sites to be rewritten, by what share each, and those new to the stroke.

    For kinds of value that are not written here; see `print_dab`.
    """
    changed = np.empty(sites.shape[0], np.uint32)
    shares = np.empty(sites.shape[0], np.float64)
    fresh = np.empty(sites.shape[0], np.uint32)
    changed_count = 0
    fresh_count = 0
    for k in range(fades.shape[0]):
        before = gathered[sites[offsets[k]]]
        weight = _weight(before, fades[k], coat)
        if weight <= 0:
            continue
        for j in range(offsets[k], offsets[k + 1]):
            s = sites[j]
            gathered[s] = max(before, weight)
            if before == 0:
                fresh[fresh_count] = s
                fresh_count += 1
            changed[changed_count] = s
            shares[changed_count] = weight * (allow[j] if allow.shape[0] > 1 else allow[0])
            changed_count += 1
    return changed[:changed_count], shares[:changed_count], fresh[:fresh_count]


@numba.njit(cache=True, nogil=True)
def print_weights(offsets: U32, sites: U32, fades: F32, coat: Coat, aim: Aim, held: Held) -> tuple[U32, U32]:
    """Gather one dab into the stroke and rewrite its sites, which hold weights: those changed, and those new to the stroke."""
    one = np.uint32(1)
    changed = np.empty(sites.shape[0], np.uint32)
    fresh = np.empty(sites.shape[0], np.uint32)
    changed_count = 0
    fresh_count = 0
    for row in range(fades.shape[0]):
        k = np.uint32(row)
        before = held.gathered[sites[offsets[k]]]
        weight = _weight(before, fades[k], coat)
        if weight <= 0:
            continue
        for j in range(offsets[k], offsets[k + one]):
            s = sites[j]
            held.gathered[s] = max(before, weight)
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
