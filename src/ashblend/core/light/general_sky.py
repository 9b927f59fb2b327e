"""How bright a sky is in each direction against its zenith: the CIE standard general sky.

ISO 15469:2004 (CIE S 011/E:2003): L / Lz = f(χ) φ(Z) / (f(Zs) φ(0)), with the gradation φ(Z) = 1 + a·exp(b / cos Z) and the
indicatrix f(χ) = 1 + c·(exp(d·χ) − exp(d·π/2)) + e·cos²χ; Z counts from the zenith, χ from the sun.
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F64


@dataclass(frozen=True)
class GeneralSky:
    """The five numbers of one of the standard's skies."""

    a: float
    b: float
    c: float
    d: float
    e: float


# Table 1 of the standard: types 1 and 2.
OVERCAST = GeneralSky(4.0, -0.70, 0.0, -1.0, 0.0)
OVERCAST_BRIGHTER_TOWARD_SUN = GeneralSky(4.0, -0.70, 2.0, -1.5, 0.15)


def against_zenith(sky: GeneralSky, directions: F64, sun: F64) -> F64:
    """(k,) luminance of directions (k, 3) at or above the horizon, of length one, over that of the zenith. sun: (3,)."""

    def graded(up: F64) -> F64:
        return np.asarray(1 + sky.a * np.exp(sky.b / np.maximum(up, 1e-6)))

    def indicated(cosine: F64) -> F64:
        apart = np.arccos(np.clip(cosine, -1, 1))
        return np.asarray(
            1 + sky.c * (np.exp(sky.d * apart) - np.exp(sky.d * np.pi / 2)) + sky.e * np.cos(apart) ** 2
        )

    here = indicated(directions @ sun) * graded(directions[:, 1])
    return np.asarray(here / (indicated(sun[1:2]) * graded(np.ones(1))))
