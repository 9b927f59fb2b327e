"""What a light gives to a surface: everything that a picture needs of it, metered.

Metering is of what falls in and not of what is seen (an incident meter): white ground that lies level, and white ground turned
to the key light, half each, come out at METERED. So a picture keeps its brightness while it is painted.
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, F64
from ashblend.core.bearing import toward
from ashblend.core.light.document import Light
from ashblend.core.light.harmonics import fallen, fallen_harmonics
from ashblend.core.light.skies.registry import SKIES
from ashblend.core.light.sky_map import map_directions, solid_angles
from ashblend.core.light.smoothing import smoothed_sky
from ashblend.core.light.warmth import LUMINANCE, warmed

# Radiance of white ground in a metered picture: the tone map then puts a grey of 0.18 a little below the middle.
METERED = 1.9
# How much of what a lamp gives comes back from the ground around; chosen by eye.
UNDER_LAMP = 0.03


@dataclass(frozen=True)
class Falling:
    """key: (3,) irradiance of the key light on a plane turned to it. harmonics: (9, 3), see `harmonics`.

    sky: (LEVELS, UP, ACROSS, 3), see `sky_map`: what is seen and mirrored. white: (3,) what every colour is multiplied with
    before it is shown. bounce: (3,) colour of the ground around. near: the key light is a lamp. All of it is metered.
    """

    key: F64
    harmonics: F64
    sky: F32
    white: F64
    bounce: F64
    near: bool


def falling(light: Light, bounce: F64) -> Falling:
    """bounce: (3,) linear colour of the ground below the horizon, as the surface's own on average."""
    given = SKIES[light.sky].given(light)
    key = given.key * warmed(light.warmth) * 2.0**light.strength
    directions, angles = map_directions(), solid_angles()
    sun = toward(0.0, light.tilt)
    upright = np.array([[0.0, 1.0, 0.0]])
    seen, through = (part.reshape(directions.shape) for part in given.seen(directions.reshape(-1, 3)))
    above = (directions[..., 1] > 0)[..., None]
    half = fallen_harmonics(seen * above, directions, angles)
    # Far around, a lamp that is near lights nothing; right under it, it does.
    reaches = UNDER_LAMP if given.near else 1.0
    level = fallen(half, upright)[0] + reaches * key / np.pi * max(0.0, float(sun[1]))
    bounce = np.clip(bounce, 0.0, 1.0)
    sky = seen + np.where(above, 0.0, through * bounce * level)
    harmonics = fallen_harmonics(sky, directions, angles)
    on = fallen(harmonics, np.concatenate([upright, sun[None]]))
    turned = on + key / np.pi * np.array([[max(0.0, float(sun[1]))], [1.0]])
    white = turned.mean(axis=0)
    metered = METERED / max(float(LUMINANCE @ white), 1e-12)
    # von Kries, in the primaries that are lit with: 1 where a channel is as bright as all together.
    own = np.maximum(white / (LUMINANCE @ white), 0.05)
    balance = own ** (-light.white)
    balance /= LUMINANCE @ (own * balance)
    return Falling(
        key * metered,
        harmonics * metered,
        smoothed_sky((sky * metered).astype(np.float32)),
        balance,
        bounce,
        given.near,
    )
