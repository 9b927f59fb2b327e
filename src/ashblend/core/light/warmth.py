"""The colour of what glows: linear Rec. 709 of a black body, and how much warmer one light is than another.

Planck's law, seen through the CIE 1931 observer as Wyman, Sloan and Shirley (2013), JCGT 2(2), fitted it (multi-lobe).
XYZ to Rec. 709: IEC 61966-2-1.
"""

from functools import lru_cache

import numpy as np

from ashblend.core.arrays import F64

TO_RGB = np.array(
    [[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]],
)
LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
# Kelvin of a neutral light, and how many millionths of 1/K the whole slider is.
NEUTRAL = 6500.0
MIREDS = 200.0


def _lobe(wave: F64, middle: float, below: float, above: float) -> F64:
    t = (wave - middle) * np.where(wave < middle, below, above)
    return np.asarray(np.exp(-0.5 * t * t))


def observer(wave: F64) -> F64:
    """(k, 3) x̄, ȳ and z̄ at wavelengths (k,) in nanometres."""
    x = (
        0.362 * _lobe(wave, 442.0, 0.0624, 0.0374)
        + 1.056 * _lobe(wave, 599.8, 0.0264, 0.0323)
        - 0.065 * _lobe(wave, 501.1, 0.0490, 0.0382)
    )
    y = 0.821 * _lobe(wave, 568.8, 0.0213, 0.0247) + 0.286 * _lobe(wave, 530.9, 0.0613, 0.0322)
    z = 1.217 * _lobe(wave, 437.0, 0.0845, 0.0278) + 0.681 * _lobe(wave, 459.0, 0.0385, 0.0725)
    return np.stack([x, y, z], axis=1)


def glow_xyz(kelvin: float) -> F64:
    """(3,) of a black body; Y is 1."""
    wave = np.arange(380.0, 781.0, 2.0)
    metres = wave * 1e-9
    radiance = metres**-5 / np.expm1(1.438777e-2 / (metres * kelvin))
    xyz = radiance @ observer(wave)
    return np.asarray(xyz / xyz[1])


@lru_cache(maxsize=256)
def _glow(kelvin: float) -> tuple[float, ...]:
    rgb = np.maximum(TO_RGB @ glow_xyz(kelvin), 0.0)
    return tuple(rgb / (LUMINANCE @ rgb))


def glow(kelvin: float) -> F64:
    """(3,) linear Rec. 709 of a black body; its luminance is 1."""
    return np.array(_glow(kelvin))


def warmed(warmth: float) -> F64:
    """(3,) what a light is multiplied with to be as much warmer, −1..1; 0 leaves it, and no luminance changes for white."""
    factor = glow(1e6 / (1e6 / NEUTRAL + MIREDS * warmth)) / glow(NEUTRAL)
    return np.asarray(factor / (LUMINANCE @ factor))
