"""Noise in space, for brushes, fills and the expression tree alike: gradient, ridged and cellular.

Perlin (2002), "Improving noise", SIGGRAPH: quintic fade, the twelve edge directions of a cube. Which
direction a corner has comes from an integer hash instead of the paper's table: pcg3d of Jarzynski
and Olano (2020), "Hash functions for GPU rendering", JCGT 9(3), which a shader has no table to read
for either. Tried: a permutation drawn from the seed; as fast here, but a table a seed in a shader.

Ridged noise is the same folded at its middle, so that its zero lines become crests: Musgrave in Ebert et al.,
"Texturing and Modeling", chapter 16, without his feedback from octave to octave. Cellular noise is how far the
nearest of points scattered one to a cell lies: Worley (1996), "A cellular texture basis function", SIGGRAPH.
"""

from typing import Literal, get_args

import numba
import numpy as np

from ashblend.core.arrays import F32, F64

# How far the sum of octaves is stretched around the middle: two thirds of the way out is already rare.
STRETCH = 0.75

NoiseKind = Literal["gradient", "ridged", "cellular"]
NOISE_KINDS: tuple[NoiseKind, ...] = get_args(NoiseKind)
GRADIENT, RIDGED, CELLULAR = range(3)


@numba.njit(cache=True, inline="always")
def fade(t: float) -> float:
    return t * t * t * (t * (t * 6 - 15) + 10)


@numba.njit(cache=True, inline="always")
def toward(code: int, x: float, y: float, z: float) -> float:
    """How far x, y, z lies along the direction that a code's low four bits stand for."""
    h = code & 15
    u = x if h < 8 else y
    if h < 4:
        v = y
    elif h in (12, 14):
        v = x
    else:
        v = z
    return (u if h & 1 == 0 else -u) + (v if h & 2 == 0 else -v)


@numba.njit(cache=True, nogil=True)
def between_corners(
    c000: int, c100: int, c010: int, c110: int, c001: int, c101: int, c011: int, c111: int,
    x: float, y: float, z: float,
) -> float:  # fmt: skip
    """Noise at x, y, z in 0..1 of a cell whose corners have these codes, by x, y, z. About −1..1."""
    u, v, w = fade(x), fade(y), fade(z)
    near = (1 - v) * ((1 - u) * toward(c000, x, y, z) + u * toward(c100, x - 1, y, z)) + v * (
        (1 - u) * toward(c010, x, y - 1, z) + u * toward(c110, x - 1, y - 1, z)
    )
    far = (1 - v) * ((1 - u) * toward(c001, x, y, z - 1) + u * toward(c101, x - 1, y, z - 1)) + v * (
        (1 - u) * toward(c011, x, y - 1, z - 1) + u * toward(c111, x - 1, y - 1, z - 1)
    )
    return (1 - w) * near + w * far


@numba.njit(cache=True, inline="always")
def _pcg3d(x: int, y: int, z: int, seed: int) -> tuple[int, int, int]:
    """Three numbers of 32 bits for a corner of the lattice. Held in 64 and masked: numba widens."""
    mask = 0xFFFFFFFF
    a = ((x + seed * 0x9E3779B9) & mask) * 1664525 + 1013904223 & mask
    b = (y & mask) * 1664525 + 1013904223 & mask
    c = (z & mask) * 1664525 + 1013904223 & mask
    a = (a + _low(b, c)) & mask
    b = (b + _low(c, a)) & mask
    c = (c + _low(a, b)) & mask
    a ^= a >> 16
    b ^= b >> 16
    c ^= c >> 16
    a = (a + _low(b, c)) & mask
    b = (b + _low(c, a)) & mask
    c = (c + _low(a, b)) & mask
    return a, b, c


@numba.njit(cache=True, nogil=True)
def corner_code(x: int, y: int, z: int, seed: int) -> int:
    """The first of a corner's numbers."""
    return _pcg3d(x, y, z, seed)[0]


@numba.njit(cache=True, nogil=True)
def scatter(x: int, y: int, z: int, seed: int) -> tuple[float, float, float]:
    """A corner's three numbers in 0..1, of 24 bits each: what a float32 holds."""
    a, b, c = _pcg3d(x, y, z, seed)
    return (a >> 8) / 16777216.0, (b >> 8) / 16777216.0, (c >> 8) / 16777216.0


@numba.njit(cache=True, inline="always")
def _low(a: int, b: int) -> int:
    """The low 32 bits of a product of two such numbers, without leaving 64."""
    return (a * (b & 0xFFFF) + ((a * (b >> 16) & 0xFFFFFFFF) << 16)) & 0xFFFFFFFF


@numba.njit(cache=True, nogil=True)
def gradient_noise(x: float, y: float, z: float, wx: int, wy: int, wz: int, seed: int) -> float:
    """Noise at a place, about −1..1; zero at whole numbers. wx, wy, wz: whole features to add."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    i, j, k = int(fx) + wx, int(fy) + wy, int(fz) + wz
    return between_corners(
        corner_code(i, j, k, seed),
        corner_code(i + 1, j, k, seed),
        corner_code(i, j + 1, k, seed),
        corner_code(i + 1, j + 1, k, seed),
        corner_code(i, j, k + 1, seed),
        corner_code(i + 1, j, k + 1, seed),
        corner_code(i, j + 1, k + 1, seed),
        corner_code(i + 1, j + 1, k + 1, seed),
        x - fx,
        y - fy,
        z - fz,
    )


@numba.njit(cache=True, nogil=True)
def cell_distance(x: float, y: float, z: float, wx: int, wy: int, wz: int, seed: int) -> float:
    """How far the nearest scattered point lies, at most 1. wx, wy, wz: whole cells to add."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    i, j, k = int(fx) + wx, int(fy) + wy, int(fz) + wz
    nearest = 1.0
    for dz in range(-1, 2):
        for dy in range(-1, 2):
            for dx in range(-1, 2):
                a, b, c = scatter(i + dx, j + dy, k + dz, seed)
                px, py, pz = dx + a - (x - fx), dy + b - (y - fy), dz + c - (z - fz)
                nearest = min(nearest, px * px + py * py + pz * pz)
    return np.sqrt(nearest)


@numba.njit(cache=True, nogil=True)
def octave_noise(
    x: float, y: float, z: float, wx: int, wy: int, wz: int, seed: int, octaves: int, kind: int = GRADIENT
) -> float:
    """Octaves of noise, each of half the size and weight of the one before, in 0..1. kind: in NOISE_KINDS."""
    total = 0.0
    gain = 1.0
    gains = 0.0
    for _ in range(octaves):
        if kind == CELLULAR:
            total += gain * cell_distance(x, y, z, wx, wy, wz, seed)
        else:
            here = gradient_noise(x, y, z, wx, wy, wz, seed)
            total += gain * (here if kind == GRADIENT else max(0.0, 1.0 - 2.0 * abs(here)))
        gains += gain
        gain *= 0.5
        x, y, z = 2 * x, 2 * y, 2 * z
        wx, wy, wz = 2 * wx, 2 * wy, 2 * wz
    if kind == GRADIENT:
        return min(1.0, max(0.0, 0.5 + STRETCH * total / gains))
    return total / gains


@numba.njit(cache=True, nogil=True)
def _everywhere(places: F64, scale: float, seed: int, octaves: int) -> F32:
    out = np.empty(places.shape[0], np.float32)
    for i in range(places.shape[0]):
        out[i] = octave_noise(
            places[i, 0] * scale, places[i, 1] * scale, places[i, 2] * scale, 0, 0, 0, seed, octaves
        )
    return out


def noise(positions: F32 | F64, metres: float, seed: int = 0, octaves: int = 3) -> F32:
    """Noise in 0..1 at positions (n, 3), its largest features about `metres` across; (n,) float32."""
    return _everywhere(positions.astype(np.float64), 1.0 / metres, seed, octaves)
