"""Noise in space, for brushes, fills and the expression tree alike: gradient, ridged and cellular.

Perlin (2002), "Improving noise", SIGGRAPH: quintic fade, the twelve edge directions of a cube. Which
direction a corner has comes from an integer hash instead of the paper's table: pcg3d of Jarzynski
and Olano (2020), "Hash functions for GPU rendering", JCGT 9(3), which a shader has no table to read
for either. Tried: a permutation drawn from the seed; as fast here, but a table a seed in a shader.

Ridged noise is the same folded at its middle, so that its zero lines become crests: Musgrave in Ebert et al.,
"Texturing and Modeling", chapter 16, without his feedback from octave to octave. Cellular noise is how far the
nearest of points scattered one to a cell lies: Worley (1996), "A cellular texture basis function", SIGGRAPH.

Worked out octave by octave over a block of places, in loops without a branch and in whole numbers of 32 bits, so that
the compiler takes four or eight places at once: 17 ns a place and octave where one place after the other took 60 to 96
(the same to the bit); cells 75 where they took 170. Cells, codes and mixing are loops of their own: in one, registers ran out (29 ns). Tried, too:
keeping a cell's codes while places stay in it; 30 ns at best on a map's rows, nothing on scattered vertices.
"""

from typing import Literal, get_args

import numba
import numpy as np
from numba import int32, uint32

from ashblend.core.arrays import F32, F64, U32

# How far the sum of octaves is stretched around the middle: two thirds of the way out is already rare.
STRETCH = 0.75

NoiseKind = Literal["gradient", "ridged", "cellular"]
NOISE_KINDS: tuple[NoiseKind, ...] = get_args(NoiseKind)
GRADIENT, RIDGED, CELLULAR = range(3)

# Places that are worked out together: what they need lies in the nearest cache.
TOGETHER = 256
ROUND = 4294967296.0


@numba.njit(cache=True, nogil=True)
def fade(t: float) -> float:
    return t * t * t * (t * (t * 6 - 15) + 10)


@numba.njit(cache=True, nogil=True)
def toward(code: np.uint32, x: float, y: float, z: float) -> float:
    """How far x, y, z lies along the direction that a code's low four bits stand for."""
    h = uint32(code & uint32(15))
    u = x if h < uint32(8) else y
    v = y if h < uint32(4) else (x if (h == uint32(12)) | (h == uint32(14)) else z)
    return (u if (h & uint32(1)) == uint32(0) else -u) + (v if (h & uint32(2)) == uint32(0) else -v)


# Inlined by numba: left to the compiler it stays a call, and places are taken one by one.
@numba.njit(cache=True, inline="always")
def between_corners(
    c000: np.uint32, c100: np.uint32, c010: np.uint32, c110: np.uint32,
    c001: np.uint32, c101: np.uint32, c011: np.uint32, c111: np.uint32,
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


@numba.njit(cache=True, nogil=True)
def _plus(a: np.uint32, b: np.uint32) -> np.uint32:
    return uint32(uint32(a) + uint32(b))


@numba.njit(cache=True, nogil=True)
def _times(a: np.uint32, b: np.uint32) -> np.uint32:
    """Of 32 bits: numba widens what it multiplies, and the compiler narrows it again."""
    return uint32(uint32(a) * uint32(b))


@numba.njit(cache=True, nogil=True)
def _lcg(a: np.uint32) -> np.uint32:
    return _plus(_times(a, uint32(1664525)), uint32(1013904223))


@numba.njit(cache=True, nogil=True)
def _stirred(a: np.uint32, b: np.uint32, c: np.uint32) -> tuple[np.uint32, np.uint32, np.uint32]:
    """pcg3d after its first step, which needs one coordinate alone. The first of the three needs no other at the end."""
    a = _plus(a, _times(b, c))
    b = _plus(b, _times(c, a))
    c = _plus(c, _times(a, b))
    a = uint32(a ^ (a >> uint32(16)))
    b = uint32(b ^ (b >> uint32(16)))
    c = uint32(c ^ (c >> uint32(16)))
    a = _plus(a, _times(b, c))
    b = _plus(b, _times(c, a))
    return a, b, _plus(c, _times(a, b))


@numba.njit(cache=True, nogil=True)
def _share(code: np.uint32) -> float:
    return int32(code >> uint32(8)) / 16777216.0


@numba.njit(cache=True, nogil=True)
def scatter(x: np.uint32, y: np.uint32, z: np.uint32) -> tuple[float, float, float]:
    """A corner's three numbers in 0..1, of 24 bits each: what a float32 holds. Whole coordinates, counted round at 2³²."""
    a, b, c = _stirred(_lcg(x), _lcg(y), _lcg(z))
    return _share(a), _share(b), _share(c)


@numba.njit(cache=True, nogil=True)
def _split(x: F64, whole: U32, octave: int, seed: np.uint32, cell: U32, within: F64, n: int) -> None:
    """The cell of each place along one axis, as a number of the hash, and where in it the place lies."""
    scale = 2.0**octave
    for i in range(n):
        at = x[i] * scale
        low = np.floor(at)
        within[i] = at - low
        # Counted round in floating point, exactly: a conversion to 32 bits knows no more than 2³¹.
        turned = int32(low - ROUND * np.floor(low / ROUND + 0.5))
        cell[i] = _plus(_plus(uint32(turned), uint32(whole[i] << uint32(octave))), seed)


@numba.njit(cache=True, nogil=True)
def _gradient(cells: U32, within: F64, codes: U32, here: F64, n: int) -> None:
    """Noise at n places of cells (3, n), about −1..1; zero at whole numbers."""
    for i in range(n):
        step = uint32(1664525)
        a0, b0, c0 = _lcg(cells[0, i]), _lcg(cells[1, i]), _lcg(cells[2, i])
        a1, b1, c1 = _plus(a0, step), _plus(b0, step), _plus(c0, step)
        codes[0, i] = _stirred(a0, b0, c0)[0]
        codes[1, i] = _stirred(a1, b0, c0)[0]
        codes[2, i] = _stirred(a0, b1, c0)[0]
        codes[3, i] = _stirred(a1, b1, c0)[0]
        codes[4, i] = _stirred(a0, b0, c1)[0]
        codes[5, i] = _stirred(a1, b0, c1)[0]
        codes[6, i] = _stirred(a0, b1, c1)[0]
        codes[7, i] = _stirred(a1, b1, c1)[0]
    for i in range(n):
        here[i] = between_corners(
            codes[0, i],
            codes[1, i],
            codes[2, i],
            codes[3, i],
            codes[4, i],
            codes[5, i],
            codes[6, i],
            codes[7, i],
            within[0, i],
            within[1, i],
            within[2, i],
        )


@numba.njit(cache=True, nogil=True)
def _cellular(cells: U32, within: F64, codes: U32, here: F64, n: int) -> None:
    """How far the nearest scattered point lies from n places of cells (3, n), at most 1."""
    here[:n] = 1.0
    for dz in range(-1, 2):
        for dy in range(-1, 2):
            for dx in range(-1, 2):
                for i in range(n):
                    codes[0, i], codes[1, i], codes[2, i] = _stirred(
                        _lcg(_plus(cells[0, i], uint32(dx))),
                        _lcg(_plus(cells[1, i], uint32(dy))),
                        _lcg(_plus(cells[2, i], uint32(dz))),
                    )
                for i in range(n):
                    x = dx + _share(codes[0, i]) - within[0, i]
                    y = dy + _share(codes[1, i]) - within[1, i]
                    z = dz + _share(codes[2, i]) - within[2, i]
                    away = x * x + y * y + z * z
                    here[i] = away if away < here[i] else here[i]
    for i in range(n):
        here[i] = np.sqrt(here[i])


@numba.njit(cache=True, nogil=True)
def octave_noise(
    x: F64, y: F64, z: F64, wx: U32, wy: U32, wz: U32, seed: int, octaves: int, kind: int, out: F32
) -> None:
    """Octaves of noise, each of half the size and weight of the one before, in 0..1.

    x, y, z: (n) float64, places in features of the first octave. wx, wy, wz: (n) uint32, whole features to add.
    kind: in NOISE_KINDS. out: (n) float32, written.
    """
    cells = np.empty((3, TOGETHER), np.uint32)
    within = np.empty((3, TOGETHER))
    codes = np.empty((8, TOGETHER), np.uint32)
    here, total = np.empty(TOGETHER), np.empty(TOGETHER)
    turn = uint32(uint32(seed) * uint32(0x9E3779B9))
    still = uint32(0)
    for begin in range(0, x.shape[0], TOGETHER):
        n = min(TOGETHER, x.shape[0] - begin)
        end = begin + n
        total[:n] = 0.0
        gain = 1.0
        gains = 0.0
        for octave in range(octaves):
            _split(x[begin:end], wx[begin:end], octave, turn, cells[0], within[0], n)
            _split(y[begin:end], wy[begin:end], octave, still, cells[1], within[1], n)
            _split(z[begin:end], wz[begin:end], octave, still, cells[2], within[2], n)
            if kind == CELLULAR:
                _cellular(cells, within, codes, here, n)
            else:
                _gradient(cells, within, codes, here, n)
            if kind == RIDGED:
                for i in range(n):
                    here[i] = max(0.0, 1.0 - 2.0 * abs(here[i]))
            for i in range(n):
                total[i] += gain * here[i]
            gains += gain
            gain *= 0.5
        if kind == GRADIENT:
            for i in range(n):
                out[begin + i] = min(1.0, max(0.0, 0.5 + STRETCH * total[i] / gains))
        else:
            for i in range(n):
                out[begin + i] = total[i] / gains


@numba.njit(cache=True, nogil=True)
def _everywhere(places: F32 | F64, scale: float, seed: int, octaves: int) -> F32:
    count = places.shape[0]
    out = np.empty(count, np.float32)
    x, y, z = np.empty(TOGETHER), np.empty(TOGETHER), np.empty(TOGETHER)
    whole = np.zeros(TOGETHER, np.uint32)
    for begin in range(0, count, TOGETHER):
        n = min(TOGETHER, count - begin)
        for i in range(n):
            x[i] = float(places[begin + i, 0]) * scale
            y[i] = float(places[begin + i, 1]) * scale
            z[i] = float(places[begin + i, 2]) * scale
        octave_noise(
            x[:n],
            y[:n],
            z[:n],
            whole[:n],
            whole[:n],
            whole[:n],
            seed,
            octaves,
            GRADIENT,
            out[begin : begin + n],
        )
    return out


def noise(positions: F32 | F64, metres: float, seed: int = 0, octaves: int = 3) -> F32:
    """Noise in 0..1 at positions (n, 3), its largest features about `metres` across; (n,) float32."""
    return _everywhere(positions, 1.0 / metres, seed, octaves)
