"""Smoothing over the surface: heat flow for a set time, so that it does not depend on density.

Weights are cotangents over a third of the triangles' area (Pinkall and Polthier 1993;
Meyer et al. 2003); on a regular grid that is the five-point stencil. Where the two of an edge are negative together they
are taken as zero, which keeps results between the values around. (Tried: each by itself. Where obtuse triangles are
common, as among scattered points, that let 8 % too much through.)

For a hand, time runs by Runge–Kutta–Legendre super steps of first order (Meyer, Balsara and Aslam 2014,
J. Comput. Phys. 257): s stages do the work of (s² + s)/2 plain steps. One such step is only of first
order in time, so more than one stage's worth is cut into three, which leaves a spot's middle 11 % low.
For measures it runs exactly, by Chebyshev polynomials of the flow (Tal-Ezer and Kosloff 1984, J. Chem. Phys. 81), with
twice the stages.
Tried: plain steps, 320 of them for 50 000 points where 25 stages do; averaging a ball of points
instead leaks through thin walls and over hard borders. Values flow in float32: a sixteen-bit channel
cannot tell, and the stages take half the time.
"""

from dataclasses import dataclass

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.progress import Progress, silent
from ashblend.core.sites.patch import Graph

# For what a hand waits for.
MOST_STAGES = 30
PARTS = 3
# What is left out of a measure's flow, as a share of its highest value: at 500 grains a spot's middle is a thousandth.
LEFT_OUT = 1e-5
# So many stages reach 1 400 grains.
MOST_TERMS = 10_000
# However little time there is, points may flow so many times as fast as most do; twice the stages for four times.
UNEVEN = 4.0
# As long as stages times points stay below this, about half a second, all flow as fast as they should. (Tried: UNEVEN alone.
# A small area refined eight times kept four times too much, for hardly anything flowed out of it.)
MOST_WORK = 3e7


@dataclass(frozen=True)
class Flow:
    """CSR of neighbours (rows) and their rates in 1/m²: of point p at first[p]..first[p + 1]."""

    first: U32
    others: U32
    rates: F32


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _rates(positions: F32, offsets: U32, fans: U32, first: U32, others: U32, rates: F32) -> None:
    """For each point its neighbours' rows and flow rates, 1/m², at first[p]..first[p+1]."""
    n = np.uint32(0)
    one = np.uint32(1)
    for p in range(np.uint32(offsets.shape[0] - 1)):
        begin = n
        area = 0.0
        px, py, pz = float(positions[p, 0]), float(positions[p, 1]), float(positions[p, 2])
        linked = False
        for j in range(offsets[p], offsets[p + one]):
            a, b = fans[j, 0], fans[j, 1]
            if a == b:
                # Two texels over a seam: no triangle between them, but as near as two in a row.
                linked = True
                continue
            if a == p or b == p:  # noqa: PLR1714 - a tuple costs time here
                continue
            ux, uy, uz = positions[a, 0] - px, positions[a, 1] - py, positions[a, 2] - pz
            vx, vy, vz = positions[b, 0] - px, positions[b, 1] - py, positions[b, 2] - pz
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            doubled = np.sqrt(nx * nx + ny * ny + nz * nz)
            area += doubled / 6
            # The cotangent at a corner is the dot product of its edges over twice the area.
            uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
            half = 0.5 / doubled if doubled > 0 else 0.0
            to_a = np.float32((vv - uv) * half)
            to_b = np.float32((uu - uv) * half)
            found_a = found_b = False
            for m in range(begin, n):
                if others[m] == a:
                    rates[m] += to_a
                    found_a = True
                elif others[m] == b:
                    rates[m] += to_b
                    found_b = True
            if not found_a:
                others[n], rates[n] = a, to_a
                n += one
            if not found_b:
                others[n], rates[n] = b, to_b
                n += one
        # Only both sides of an edge together say whether anything flows along it.
        for m in range(begin, n):
            rates[m] = max(np.float32(0.0), rates[m])
        if linked:
            # Over a texture's seam, flow as much as to a neighbour in the same chart on average.
            mean = np.float32(0.0)
            for m in range(begin, n):
                mean += rates[m]
            mean /= np.float32(n - begin) if n > begin else np.float32(1.0)
            for j in range(offsets[p], offsets[p + one]):
                a = fans[j, 0]
                if a == fans[j, 1] and a != p:
                    others[n], rates[n] = a, mean
                    n += one
        per = np.float32(1.0 / area) if area > 0 else np.float32(0.0)
        for m in range(begin, n):
            rates[m] *= per
        first[p + one] = n


@numba.njit(cache=True, nogil=True)
def _stage(
    now: F32, before: F32, out: F32, first: U32, others: U32, rates: F32, scale: F32, mu: float, step: float
) -> None:
    """One stage of a super step; values from scale's end on are the rim's, and stay.

    Rows are unsigned: see `reach._march`. Tried: on both processors; waking the second one for each of some
    sixty stages took longer than it saved.
    """
    keep, back, rate = np.float32(mu), np.float32(1.0 - mu), np.float32(step)
    for k in range(scale.shape[0]):
        total = np.float32(0.0)
        held = now[k]
        for m in range(first[k], first[k + 1]):
            total += rates[m] * (now[others[m]] - held)
        out[k] = keep * held + back * before[k] + rate * scale[k] * total


def _super_step(values: F32, flow: Flow, scale: F32, time: float, stages: int) -> F32:
    """One step of Runge–Kutta–Legendre over `time`, in that many stages. values: rim and all."""
    step = 2.0 / (stages * stages + stages) * time
    before, now, following = values.copy(), values.copy(), values.copy()
    _stage(before, before, now, flow.first, flow.others, flow.rates, scale, 1.0, step)
    for j in range(2, stages + 1):
        mu = (2.0 * j - 1.0) / j
        _stage(now, before, following, flow.first, flow.others, flow.rates, scale, mu, mu * step)
        before, now, following = now, following, before
    return now


def flow_over(graph: Graph) -> Flow:
    """The flow rates of a graph's points."""
    offsets, fans = graph.offsets.view(np.uint32), graph.fans.view(np.uint32)
    first = np.zeros(offsets.shape[0], np.uint32)
    others = np.empty(2 * fans.shape[0], np.uint32)
    rates = np.empty(2 * fans.shape[0], np.float32)
    _rates(graph.positions, offsets, fans, first, others, rates)
    used = int(first[-1])
    return Flow(first, others[:used], rates[:used])


def _totals(flow: Flow) -> tuple[F64, float]:
    """The rate (k,) at which each point flows, and one that most keep below; 0 where nothing flows."""
    first = flow.first
    # reduceat cannot do empty runs; a point without neighbours has no rate.
    runs = np.add.reduceat(
        np.append(flow.rates, np.float32(0)), np.minimum(first[:-1].astype(np.int64), flow.rates.shape[0])
    )
    total = np.where(first[1:] > first[:-1], runs, 0.0).astype(np.float64)
    moving = total[total > 0]
    return total, float(np.percentile(moving, 95)) if moving.size else 0.0


def _slowed(total: F64, limit: float) -> F32:
    """(k,) Where triangles are far smaller than most, flow is slowed rather than many more stages run."""
    return np.minimum(1.0, limit / np.maximum(total, 1e-30)).astype(np.float32)


@numba.njit(cache=True, nogil=True)
def _slowed_alike(first: U32, others: U32, rates: F32, scale: F32) -> F32:
    """Rates at which two points exchange as fast as the slower of them may: nothing is lost between them."""
    out = np.empty_like(rates)
    for k in range(scale.shape[0]):
        for m in range(first[k], first[k + 1]):
            out[m] = rates[m] * min(scale[k], scale[others[m]])
    return out


def _affordable(points: int, length: float) -> float:
    """The rate, 1/m², up to which so many points can flow for that long."""
    # What is left after LEFT_OUT is five times the root of the reach, and a bit.
    stages = min(MOST_WORK / points, MOST_TERMS / 2)
    return (stages / 5) ** 2 / (length * length / 2)


def spread_out(flow: Flow, values: F64, length: float, progress: Progress = silent) -> F64:
    """Values (k,) of points after flowing to a blur of standard deviation `length` metres, as measures ask it.

    Right to LEFT_OUT of the highest at 500 grains and more; the time it takes goes with grains and points.
    """
    from scipy.special import ive

    total, usual = _totals(flow)
    if usual == 0:
        return values
    limit = min(float(total.max()), max(UNEVEN * usual, _affordable(total.shape[0], length)))
    rates = _slowed_alike(flow.first, flow.others, flow.rates, _slowed(total, limit))
    whole = np.ones(total.shape[0], np.float32)
    # The flow times 1 / limit, plus one, has all its numbers between −1 and 1.
    reach = length * length / 2 * limit
    shares = 2 * ive(np.arange(min(int(8 * np.sqrt(reach)) + 12, MOST_TERMS)), reach)
    shares[0] /= 2
    left = np.cumsum(shares[::-1])[::-1]
    shares = shares[: max(2, int(np.searchsorted(-left, -LEFT_OUT)))]
    shares /= shares.sum()
    before = values.astype(np.float32)
    now, following = before.copy(), before.copy()
    out = shares[0] * before.astype(np.float64)
    once = 1.0 / limit
    _stage(before, before, now, flow.first, flow.others, rates, whole, 1.0, once)
    for k in range(1, shares.shape[0]):
        out += shares[k] * now
        if k + 1 < shares.shape[0]:
            _stage(now, before, following, flow.first, flow.others, rates, whole, 2.0, 2 * once)
            before, now, following = now, following, before
        progress((k + 1) / shares.shape[0])
    return np.asarray(out)


def smoothed(flow: Flow, values: F64, length: float) -> F64:
    """Values (k,) of points after flowing to a blur of standard deviation `length` metres, or as far as a hand waits for.

    values: (k + rim,), of which the rim's stay as they are.
    """
    count = flow.first.shape[0] - 1
    total, limit = _totals(flow)
    if limit == 0:
        return values[:count]
    time = length * length / 2
    parts = 1 if time * limit <= 1 else PARTS
    stages = max(1, int(np.ceil((np.sqrt(1 + 8 * time / parts * limit) - 1) / 2)))
    if stages > MOST_STAGES:
        stages = MOST_STAGES
        limit = (stages * stages + stages) * parts / (2 * time)
    scale = _slowed(total, limit)
    held = values.astype(np.float32)
    for _ in range(parts):
        held = _super_step(held, flow, scale, time / parts, stages)
    return held[:count].astype(np.float64)
