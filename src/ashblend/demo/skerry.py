"""The island: uplifted and worn by rivers, its weather side cut to cliffs, a beach and a silt flat in its lee.

Wear by rivers is the stream power law, ∂h/∂t = U − K·A^m·S, solved implicitly from the outlets up: Braun and Willett
(2013), "A very efficient O(n), implicit and parallel method to solve the stream power equation", Geomorphology 180-181.
Slopes between the rivers creep by diffusion. Coarse grids are worn first and made finer, so that a thousand metres of
ground take seconds. Coast, ledges and flats are shaped afterwards, as the sea and the bedding of the rock would.
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.noise import noise
from ashblend.core.survey.flow import STEPS
from ashblend.core.survey.heap import pop, push
from ashblend.core.terrain.resample import resampled
from ashblend.demo.materials.patterns import smoothstep

SIZE = 1025
TIDE = 1.1
STAGES = ((129, 40), (257, 24), (513, 12), (1025, 6))


def _over(size: int) -> tuple[F64, F64]:
    """(size, size) across and down, −1..1; down is south."""
    at = np.linspace(-1, 1, size)
    x, z = np.meshgrid(at, at)
    return x, z


def _patches(size: int, metres: float, seed: int, octaves: int = 4) -> F64:
    """(size, size) noise of −1..1 over the island."""
    x, z = _over(size)
    half = (SIZE - 1) / 2
    places = np.stack([x.ravel() * half, np.zeros(x.size), z.ravel() * half], axis=1)
    return 2 * noise(places, metres, seed, octaves).astype(np.float64).reshape(size, size) - 1


def _land(size: int) -> F64:
    """How far inside the island a place lies: 1 in its middle, 0 at the coast, negative at sea."""
    x, z = _over(size)
    warp = (
        0.17 * _patches(size, 420, 3, 3) + 0.10 * _patches(size, 150, 4, 3) + 0.035 * _patches(size, 45, 5, 4)
    )
    bay = 0.34 * np.exp(-(((x - 0.46) / 0.20) ** 2 + ((z - 0.42) / 0.24) ** 2))
    cove = 0.16 * np.exp(-(((x + 0.10) / 0.12) ** 2 + ((z - 0.78) / 0.20) ** 2))
    reach = np.hypot((x + 0.06 - 0.1 * z) / 0.80, (z + 0.05) / 0.64)
    return 1 - reach + warp - bay - cove


@numba.njit(cache=True)
def _flooded(heights: F32) -> tuple[I32, I32]:
    """The order (n,) in which water that rises from the edge reaches cells, none before a lower one, and what each was
    reached from (n,), −1 at the edge. For wearing, which needs an order; `flow.flood` goes without.
    """
    rows, cols = heights.shape
    count = rows * cols
    flat = heights.copy().reshape(-1)
    parent = np.full(count, -1, np.int32)
    order = np.empty(count, np.int32)
    closed = np.zeros(count, np.bool_)
    keys, ids = np.empty(count, np.float32), np.empty(count, np.int32)
    pit = np.empty(count, np.int32)
    size = first = last = 0
    for r in range(rows):
        for c in range(cols):
            if r in (0, rows - 1) or c in (0, cols - 1):
                n = r * cols + c
                size = push(keys, ids, size, flat[n], n)
                closed[n] = True
    done = 0
    while size > 0 or first < last:
        if first < last:
            n = pit[first]
            first += 1
        else:
            n, size = pop(keys, ids, size)
            first = last = 0
        order[done] = n
        done += 1
        r, c = n // cols, n % cols
        for k in range(8):
            rr, cc = r + STEPS[k, 0], c + STEPS[k, 1]
            if rr < 0 or cc < 0 or rr >= rows or cc >= cols:
                continue
            m = rr * cols + cc
            if closed[m]:
                continue
            closed[m] = True
            parent[m] = n
            if flat[m] <= flat[n]:
                flat[m] = flat[n]
                pit[last] = m
                last += 1
            else:
                size = push(keys, ids, size, flat[m], m)
    return order, parent


@numba.njit(cache=True)
def _worn(heights: F32, bed: F32, order: I32, parent: I32, rate: float, spacing: float) -> None:
    """Wear heights (rows, cols) for one step, in place. bed: what rivers find their way over. rate: of the stream
    power law, times the step.
    """
    rows, cols = heights.shape
    flat, way = heights.reshape(-1), bed.reshape(-1)
    receiver, far = parent.copy(), np.ones(flat.shape[0], np.float32)
    for n in range(flat.shape[0]):
        if parent[n] < 0:
            continue
        r, c = n // cols, n % cols
        steepest = 0.0
        for s in range(8):
            rr, cc = r + STEPS[s, 0], c + STEPS[s, 1]
            if 0 <= rr < rows and 0 <= cc < cols:
                length = 1.41421356 if s in (0, 2, 5, 7) else 1.0
                fall = (way[n] - way[rr * cols + cc]) / length
                if fall > steepest:
                    steepest, receiver[n], far[n] = fall, rr * cols + cc, length
    area = np.full(flat.shape[0], spacing * spacing)
    for k in range(order.shape[0] - 1, -1, -1):
        n = order[k]
        if receiver[n] >= 0:
            area[receiver[n]] += area[n]
    for k in range(order.shape[0]):
        n = order[k]
        to = receiver[n]
        if to >= 0 and flat[n] > flat[to]:
            f = rate * np.sqrt(area[n]) / (far[n] * spacing)
            flat[n] = (flat[n] + f * flat[to]) / (1 + f)


def _raised_and_worn() -> F32:
    """(SIZE, SIZE) metres: the island before the sea shaped its coast."""
    from scipy.ndimage import gaussian_filter

    heights: F32 = np.zeros((STAGES[0][0],) * 2, np.float32)
    for size, steps in STAGES:
        heights = resampled(heights, size, size)
        spacing = (SIZE - 1) / (size - 1)
        x, z = _over(size)
        land = _land(size)
        crest = np.exp(-((0.8 * x + 0.55 * z + 0.18) ** 2) / 0.10)
        lift = smoothstep(0.0, 0.55, land) * (1.0 + 1.5 * crest) * (1 + 0.25 * _patches(size, 160, 9))
        sea = land < -0.02
        # Rivers find their way over rough ground; over smooth ground they would all run along the grid.
        bumps = 4.0 * _patches(size, 90, 11, 6) + np.random.default_rng(size).normal(
            0, 0.22 * spacing, x.shape
        )
        rough: F32 = (smoothstep(-0.05, 0.15, land) * bumps).astype(np.float32)
        if not heights.any():
            heights = np.float32(3) * rough
        for _ in range(steps):
            heights = heights + (1.5 * lift).astype(np.float32)
            heights[sea] = np.minimum(heights[sea], 0)
            bed = heights + rough
            order, parent = _flooded(bed)
            _worn(heights, bed, order, parent, 0.045, spacing)
            heights = gaussian_filter(heights, 0.5, mode="nearest")
    return heights


def _coast(heights: F64, land: F64) -> F64:
    """Cliffs to the weather side, a beach and a silt flat in the lee, the bottom of the sea around."""
    x, z = _over(SIZE)
    rough, fine = _patches(SIZE, 60, 31), _patches(SIZE, 9, 32, 4)
    weather = smoothstep(-0.25, 0.45, -0.85 * x - 0.35 * z + 0.25 * rough)
    near = 120 * land + 4 * rough
    shore = smoothstep(-1.0, 26.0, near)
    # Land rises gently from the beach, or stands on a cliff that bays and stacks are cut into.
    gentle = 0.065 * near + heights * shore
    top = 13 + 6 * rough
    cliff = top * smoothstep(-2.5 + 1.5 * fine, 4.5 + 1.5 * fine, near + 2.0 * fine) + 0.95 * heights
    out = gentle * (1 - weather) + cliff * weather
    bed = np.maximum(-9.0 + 1.5 * rough, 0.10 * near)
    return np.where(near < 0, np.minimum(out, bed), out)


def skerry_heights() -> F32:
    """(1025, 1025) metres, 1 m apart; the sea lies at 0, the tide comes to TIDE."""
    land = _land(SIZE)
    worn = _raised_and_worn().astype(np.float64)
    worn *= 78.0 / max(float(worn.max()), 1.0)
    out = _coast(worn, land)
    x, z = _over(SIZE)
    rough, fine = _patches(SIZE, 34, 41), _patches(SIZE, 5, 42, 4)
    # Beds of harder rock stand out as ledges.
    bed = 5.5
    dipped = out + 9.0 * x - 5.0 * z + 2.6 * rough + 0.4 * fine
    # Of unlike thickness, as beds are.
    level = dipped / bed + 0.32 * np.sin(1.9 * dipped / bed + 2.5 * _patches(SIZE, 150, 45))
    stepped = np.floor(level) + smoothstep(0.30, 0.72, level - np.floor(level)) - level
    hard = smoothstep(20.0, 40.0, out) * smoothstep(-0.25, 0.35, _patches(SIZE, 120, 43) + 0.25)
    out = out + 0.45 * bed * hard * stepped
    # The flat in the bay, with runnels in it.
    bay = np.exp(-((((x - 0.44) / 0.34) ** 2 + ((z - 0.40) / 0.34) ** 2) ** 2))
    shallow = smoothstep(-34.0, -14.0, 120 * land + 3 * rough) * smoothstep(24.0, 4.0, 120 * land + 3 * rough)
    runnels = 0.25 * np.abs(_patches(SIZE, 30, 44, 3)) ** 0.7
    flat = 0.55 - runnels + 0.02 * fine
    out = out + smoothstep(0.2, 0.6, bay) * shallow * (flat - out)
    dry = smoothstep(0.3, 2.0, out)
    out = out + dry * (0.10 * fine + 0.30 * smoothstep(8.0, 30.0, out) * fine)
    return np.ascontiguousarray(np.maximum(out, -9.0), np.float32)
