"""Smoothing over the surface: heat flow for a set time, so that it does not depend on density.

Weights are cotangents over a third of the triangles' area (Pinkall and Polthier 1993;
Meyer et al. 2003); on a regular grid that is the five-point stencil. Negative cotangents of obtuse
pairs are taken as zero, which keeps results between the values around.

Time runs by Runge–Kutta–Legendre super steps of first order (Meyer, Balsara and Aslam 2014,
J. Comput. Phys. 257): s stages do the work of (s² + s)/2 plain steps. One such step is only of first
order in time, so more than one stage's worth is cut into three.
Tried: plain steps, 320 of them for 50 000 points where 25 stages do; averaging a ball of points
instead leaks through thin walls and over hard borders.
"""

from collections.abc import Callable

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32

MOST_STAGES = 30
PARTS = 3


@numba.njit(cache=True, inline="always")
def _cotangent(positions: F32, at: int, b: int, c: int) -> float:
    """Of the angle at `at` in triangle at b c."""
    ux = float(positions[b, 0]) - positions[at, 0]
    uy = float(positions[b, 1]) - positions[at, 1]
    uz = float(positions[b, 2]) - positions[at, 2]
    vx = float(positions[c, 0]) - positions[at, 0]
    vy = float(positions[c, 1]) - positions[at, 1]
    vz = float(positions[c, 2]) - positions[at, 2]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    area = np.sqrt(nx * nx + ny * ny + nz * nz)
    if area <= 0:
        return 0.0
    return (ux * vx + uy * vy + uz * vz) / area


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _rates(
    positions: F32, offsets: I32, fans: I32, points: I32, slots: I32, first: I32, others: I32, rates: F64
) -> None:
    """For each point k its neighbours' numbers and flow rates, 1/m², at first[k]..first[k+1].

    A neighbour in the list is given by its slot, one outside by −1 − its number.
    """
    n = 0
    for k in range(points.shape[0]):
        p = points[k]
        begin = n
        area = 0.0
        for j in range(offsets[p], offsets[p + 1]):
            a, b = fans[j, 0], fans[j, 1]
            if p in (a, b):
                continue
            if a == b:
                # Two texels over a seam: no triangle between them, but as near as two in a row.
                continue
            at_a = max(0.0, _cotangent(positions, a, b, p))
            at_b = max(0.0, _cotangent(positions, b, p, a))
            ux = float(positions[a, 0]) - positions[p, 0]
            uy = float(positions[a, 1]) - positions[p, 1]
            uz = float(positions[a, 2]) - positions[p, 2]
            vx = float(positions[b, 0]) - positions[p, 0]
            vy = float(positions[b, 1]) - positions[p, 1]
            vz = float(positions[b, 2]) - positions[p, 2]
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            area += np.sqrt(nx * nx + ny * ny + nz * nz) / 6
            for side in range(2):
                q = a if side == 0 else b
                weight = 0.5 * (at_b if side == 0 else at_a)
                code = slots[q] if slots[q] >= 0 else -1 - q
                found = False
                for m in range(begin, n):
                    if others[m] == code:
                        rates[m] += weight
                        found = True
                        break
                if not found:
                    others[n] = code
                    rates[n] = weight
                    n += 1
        # Over a texture's seam, flow as much as to a neighbour in the same chart on average.
        mean = 0.0
        if n > begin:
            for m in range(begin, n):
                mean += rates[m]
            mean /= n - begin
        for j in range(offsets[p], offsets[p + 1]):
            a = fans[j, 0]
            if a == fans[j, 1] and a != p:
                others[n] = slots[a] if slots[a] >= 0 else -1 - a
                rates[n] = mean
                n += 1
        for m in range(begin, n):
            rates[m] = rates[m] / area if area > 0 else 0.0
        first[k + 1] = n


@numba.njit(cache=True, nogil=True)
def _flow(u: F64, outside: F64, first: I32, others: I32, rates: F64, scale: F64, out: F64) -> None:
    for k in range(u.shape[0]):
        total = 0.0
        for m in range(first[k], first[k + 1]):
            code = others[m]
            total += rates[m] * ((u[code] if code >= 0 else outside[m]) - u[k])
        out[k] = total * scale[k]


@numba.njit(cache=True, nogil=True)
def _run(
    start: F64, outside: F64, first: I32, others: I32, rates: F64, scale: F64, time: float, stages: int
) -> F64:
    before = start.copy()
    change = np.empty_like(start)
    _flow(before, outside, first, others, rates, scale, change)
    step = 2.0 / (stages * stages + stages)
    now = before + step * time * change
    for j in range(2, stages + 1):
        mu = (2.0 * j - 1.0) / j
        _flow(now, outside, first, others, rates, scale, change)
        following = mu * now + (1.0 - mu) * before + mu * step * time * change
        before = now
        now = following
    return now


class Diffusion:
    """Smooths values over part of a surface, with room kept for the points' slots."""

    def __init__(self, positions: F32, fans: tuple[I32, I32]) -> None:
        self._positions = positions
        self._offsets, self._fans = fans
        self._slots: I32 = np.full(positions.shape[0], -1, np.int32)

    def smoothed(self, points: I32, values: F64, length: float, around: Callable[[I32], F64]) -> F64:
        """Values (k,) of points (k,) after flowing to a blur of standard deviation `length` metres.

        around: values of points outside, which stay as they are. Where triangles are far
        smaller than most, flow is slowed there rather than many more stages run.
        """
        # In the order of their numbers neighbours lie close in memory: a tenth less time for 50 000 points.
        order = np.argsort(points)
        points, values = points[order], values[order]
        self._slots[points] = np.arange(points.shape[0], dtype=np.int32)
        degree = self._offsets[points + 1] - self._offsets[points]
        first = np.zeros(points.shape[0] + 1, np.int32)
        room = int(2 * degree.sum())
        others = np.empty(room, np.int32)
        rates = np.empty(room, np.float64)
        _rates(self._positions, self._offsets, self._fans, points, self._slots, first, others, rates)
        self._slots[points] = -1
        used = first[-1]
        others, rates = others[:used], rates[:used]
        outside = np.zeros(used)
        beyond = others < 0
        outside[beyond] = around((-1 - others[beyond]).astype(np.int32))
        # reduceat cannot do empty runs; a point without neighbours has no rate.
        runs = np.add.reduceat(np.append(rates, 0.0), np.minimum(first[:-1], used))
        total = np.where(first[1:] > first[:-1], runs, 0.0)
        moving = total[total > 0]
        back = np.empty_like(order)
        back[order] = np.arange(order.shape[0])
        if moving.size == 0:
            return values[back]
        time = length * length / 2
        limit = float(np.percentile(moving, 95))
        parts = 1 if time * limit <= 1 else PARTS
        stages = max(1, int(np.ceil((np.sqrt(1 + 8 * time / parts * limit) - 1) / 2)))
        if stages > MOST_STAGES:
            stages = MOST_STAGES
            limit = (stages * stages + stages) * parts / (2 * time)
        scale = np.minimum(1.0, limit / np.maximum(total, 1e-300))
        for _ in range(parts):
            values = _run(values, outside, first, others, rates, scale, time / parts, stages)
        return values[back]
