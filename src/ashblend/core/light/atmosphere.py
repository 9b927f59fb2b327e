"""Colour and brightness of a clear sky, by scattering of sunlight in air, haze and ozone, for a sun above or below the horizon.

Single scattering is integrated along the ray (Nishita, Sirai, Tadamura and Nakamae 1993, "Display of the Earth taking into
account atmospheric scattering"); what is scattered more often comes from a table over heights and suns (Hillaire 2020,
"A Scalable and Production Ready Sky and Atmosphere Rendering Technique", Computer Graphics Forum 39(4), equations 5 to
10). Coefficients of air and how haze lies: table 1 of the same paper, ozone after Bruneton (2017). Radiance is a share of the sun's
irradiance outside of the air, which is white.

Kernels run ray by ray. Tried: NumPy over all rays at once, step by step, which took 0.15 s for a sky and 0.8 s for tables.
Tried: the fitted distribution of Preetham, Shirley and Smits (1999), which tests hold this against. It says nothing of a sun
below the horizon, and near it turns green.
"""

from dataclasses import dataclass
from functools import lru_cache

import numba
import numpy as np

from ashblend.core.arrays import F64

# Kilometres.
GROUND = 6360.0
TOP = 6460.0
# Where one stands.
EYE = 0.02
# Scattered and swallowed a kilometre at sea level: red, green, blue.
AIR = np.array([5.802e-3, 13.558e-3, 33.1e-3])
# Of haze so much that straight up a tenth is taken: an optical depth of 0.1, common for a clear day, and a turbidity of 2 in the
# words of Preetham et al. The paper's own table is for air with hardly any.
HAZE_TAKEN = 0.1 / 1.2
HAZE_SCATTERED = 0.908 * HAZE_TAKEN
OZONE = np.array([0.650e-3, 1.881e-3, 0.085e-3])
AIR_HEIGHT = 8.0
HAZE_HEIGHT = 1.2
# How much haze scatters forward.
FORWARD = 0.8
# Degrees that the sun measures from its middle to its edge.
SUN = 0.2666

# Of a way to the sun, and of one that is looked along.
_STEPS, _MARCH = 40, 24
_HEIGHTS, _COSINES = 64, 192
_MANY = 24


@dataclass(frozen=True)
class Air:
    """haze: how much of it there is, 1 on a clear day. taken: (heights, cosines, 3) what passes from a height to outside.

    again: (_MANY, _MANY, 3) what is scattered more than once, over heights and cosines of the sun, for a sun of 1.
    """

    haze: float
    taken: F64
    again: F64


@numba.njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _densities(height: float, haze: float) -> tuple[float, float, float]:
    """Of air, haze and ozone at a height in kilometres."""
    h = max(height, 0.0)
    return np.exp(-h / AIR_HEIGHT), haze * np.exp(-h / HAZE_HEIGHT), max(0.0, 1.0 - abs(h - 25.0) / 15.0)


@numba.njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _to_top(r: float, mu: float) -> float:
    return -r * mu + np.sqrt(max(r * r * (mu * mu - 1.0) + TOP * TOP, 0.0))


@numba.njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _to_ground(r: float, mu: float) -> float:
    """The way to the ground; negative where it is not met."""
    inside = r * r * (mu * mu - 1.0) + GROUND * GROUND
    return max(-r * mu - np.sqrt(inside), 0.0) if mu < 0 and inside >= 0 else -1.0


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _passing(taken: F64, r: float, mu: float, out: F64) -> None:
    """Into out (3,): see `passing`.

    The table is even in the way to the horizon and in the way left to the top: Bruneton and Neyret (2008), "Precomputed
    Atmospheric Scattering", section 4.
    """
    horizon = -np.sqrt(max(1.0 - (GROUND / r) ** 2, 0.0))
    width = np.sin(np.radians(SUN))
    risen = min(max((mu - horizon) / (2.0 * width) + 0.5, 0.0), 1.0)
    risen = risen * risen * (3.0 - 2.0 * risen)
    if risen == 0.0:
        out[:] = 0.0
        return
    widest = np.sqrt(TOP * TOP - GROUND * GROUND)
    rho = np.sqrt(max(r * r - GROUND * GROUND, 0.0))
    nearest, farthest = TOP - r, rho + widest
    y = min(max(rho / widest, 0.0), 1.0) * (_HEIGHTS - 1)
    x = min(max((_to_top(r, mu) - nearest) / max(farthest - nearest, 1e-9), 0.0), 1.0) * (_COSINES - 1)
    i, j = min(int(y), _HEIGHTS - 2), min(int(x), _COSINES - 2)
    fy, fx = y - i, x - j
    for c in range(3):
        near = taken[i, j, c] * (1 - fx) + taken[i, j + 1, c] * fx
        far = taken[i + 1, j, c] * (1 - fx) + taken[i + 1, j + 1, c] * fx
        out[c] = (near * (1 - fy) + far * fy) * risen


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _fill_taken(haze: float, taken: F64) -> None:
    widest = np.sqrt(TOP * TOP - GROUND * GROUND)
    for i in range(_HEIGHTS):
        rho = i / (_HEIGHTS - 1) * widest
        r = np.sqrt(rho * rho + GROUND * GROUND)
        for j in range(_COSINES):
            d = TOP - r + j / (_COSINES - 1) * (rho + widest - (TOP - r))
            mu = (widest * widest - rho * rho - d * d) / (2 * r * d) if d > 0 else 1.0
            mu = min(max(mu, -1.0), 1.0)
            depth0 = depth1 = depth2 = 0.0
            for k in range(_STEPS):
                t = (k + 0.5) / _STEPS * d
                air, dust, ozone = _densities(np.sqrt(r * r + t * t + 2 * r * mu * t) - GROUND, haze)
                depth0 += air * AIR[0] + dust * HAZE_TAKEN + ozone * OZONE[0]
                depth1 += air * AIR[1] + dust * HAZE_TAKEN + ozone * OZONE[1]
                depth2 += air * AIR[2] + dust * HAZE_TAKEN + ozone * OZONE[2]
            step = d / _STEPS
            taken[i, j, 0] = np.exp(-depth0 * step)
            taken[i, j, 1] = np.exp(-depth1 * step)
            taken[i, j, 2] = np.exp(-depth2 * step)


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _fill_again(haze: float, taken: F64, directions: F64, shares: F64, albedo: float, again: F64) -> None:
    """Equations 5 to 10: of light that is scattered alike to all sides. directions (k, 3) around up, shares (k,) together 1."""
    light, gave, through = np.zeros(3), np.zeros(3), np.zeros(3)
    sunlit = np.zeros(3)
    steps = 20
    for i in range(_MANY):
        r0 = GROUND + (i / (_MANY - 1)) ** 2 * (TOP - GROUND - 1) + 1e-3
        for j in range(_MANY):
            s = 2 * j / (_MANY - 1) - 1.0
            level = np.sqrt(1 - s * s)
            light[:] = 0.0
            gave[:] = 0.0
            for n in range(directions.shape[0]):
                mu = directions[n, 1]
                toward = mu * s + directions[n, 0] * level
                ground = _to_ground(r0, mu)
                long = ground if ground >= 0 else _to_top(r0, mu)
                through[:] = shares[n]
                for k in range(steps):
                    t = (k + 0.5) / steps * long
                    r = np.sqrt(r0 * r0 + t * t + 2 * r0 * mu * t)
                    _passing(taken, r, (r0 * s + t * toward) / r, sunlit)
                    air, dust, ozone = _densities(r - GROUND, haze)
                    for c in range(3):
                        lost = air * AIR[c] + dust * HAZE_TAKEN + ozone * OZONE[c]
                        kept = np.exp(-lost * long / steps)
                        part = (
                            through[c]
                            * (1 - kept)
                            / max(lost, 1e-12)
                            * (air * AIR[c] + dust * HAZE_SCATTERED)
                        )
                        light[c] += part * sunlit[c] / (4 * np.pi)
                        gave[c] += part
                        through[c] *= kept
                if ground >= 0:
                    below = (r0 * s + long * toward) / GROUND
                    if below > 0:
                        _passing(taken, GROUND, below, sunlit)
                        for c in range(3):
                            light[c] += through[c] * sunlit[c] * below * albedo / np.pi
            for c in range(3):
                again[i, j, c] = light[c] / (1 - gave[c])


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _march(haze: float, taken: F64, again: F64, directions: F64, sun: F64, out: F64, through: F64) -> None:
    """Into out and through (k, 3): see `scattered`."""
    r0 = GROUND + EYE
    g = FORWARD
    sunlit = np.zeros(3)
    for n in range(directions.shape[0]):
        mu = directions[n, 1]
        toward = directions[n, 0] * sun[0] + mu * sun[1] + directions[n, 2] * sun[2]
        # Rayleigh's phase, and that of Cornette and Shanks (1992) for haze.
        of_air = 3 / (16 * np.pi) * (1 + toward * toward)
        of_haze = 3 / (8 * np.pi) * (1 - g * g) / (2 + g * g) * (1 + toward * toward)
        of_haze /= (1 + g * g - 2 * g * toward) ** 1.5
        ground = _to_ground(r0, mu)
        long = ground if ground >= 0 else _to_top(r0, mu)
        out[n] = 0.0
        through[n] = 1.0
        for k in range(_MARCH):
            # Steps grow with the distance: what is near is dense.
            a, b = (k / _MARCH) ** 2, ((k + 1) / _MARCH) ** 2
            t, step = (a + b) / 2 * long, (b - a) * long
            r = np.sqrt(r0 * r0 + t * t + 2 * r0 * mu * t)
            of_sun = (r0 * sun[1] + t * toward) / r
            _passing(taken, r, of_sun, sunlit)
            air, dust, ozone = _densities(r - GROUND, haze)
            y = np.sqrt(min(max((r - GROUND) / (TOP - GROUND - 1), 0.0), 1.0)) * (_MANY - 1)
            x = min(max(of_sun / 2 + 0.5, 0.0), 1.0) * (_MANY - 1)
            i, j = min(int(y), _MANY - 2), min(int(x), _MANY - 2)
            fy, fx = y - i, x - j
            for c in range(3):
                near = again[i, j, c] * (1 - fx) + again[i, j + 1, c] * fx
                far = again[i + 1, j, c] * (1 - fx) + again[i + 1, j + 1, c] * fx
                more = (air * AIR[c] + dust * HAZE_SCATTERED) * (near * (1 - fy) + far * fy)
                once = (air * AIR[c] * of_air + dust * HAZE_SCATTERED * of_haze) * sunlit[c]
                lost = air * AIR[c] + dust * HAZE_TAKEN + ozone * OZONE[c]
                kept = np.exp(-lost * step)
                out[n, c] += through[n, c] * (once + more) * (1 - kept) / max(lost, 1e-12)
                through[n, c] *= kept


@lru_cache(maxsize=16)
def air_of(haze: float) -> Air:
    """Tables of air with so much haze, for `scattered` and `sunlight`. Kept."""
    taken = np.empty((_HEIGHTS, _COSINES, 3))
    _fill_taken(haze, taken)
    # Directions even over a sphere: 8 by cosine (Gauss) and 8 around.
    mu, share = np.polynomial.legendre.leggauss(8)
    around = np.tile((np.arange(8) + 0.5) * np.pi / 4, 8)
    cosine = np.repeat(mu, 8)
    level = np.sqrt(1 - cosine**2)
    directions = np.stack([level * np.cos(around), cosine, level * np.sin(around)], axis=1)
    again = np.empty((_MANY, _MANY, 3))
    _fill_again(haze, taken, directions, np.repeat(share, 8) / 16, 0.3, again)
    return Air(haze, taken, again)


def scattered(air: Air, directions: F64, sun: F64) -> tuple[F64, F64]:
    """Radiance (k, 3) that comes from directions (k, 3) of length one, under a sun (3,) of irradiance 1, and what they let
    through (k, 3): below the horizon, of the ground's own.
    """
    out, through = np.empty(directions.shape), np.empty(directions.shape)
    _march(air.haze, air.taken, air.again, np.ascontiguousarray(directions, np.float64), sun, out, through)
    return out, through


def sunlight(air: Air, height_of_sun: float) -> F64:
    """(3,) what of the sun's irradiance comes to the ground, on a plane turned to it. height_of_sun: degrees up.

    The sun's disc sinks behind the horizon over its own width.
    """
    out = np.empty(3)
    _passing(air.taken, GROUND + EYE, float(np.sin(np.radians(height_of_sun))), out)
    return out
