"""Clouds all over."""

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.bearing import toward
from ashblend.core.light.document import Light
from ashblend.core.light.general_sky import OVERCAST_BRIGHTER_TOWARD_SUN, against_zenith
from ashblend.core.light.skies.sky import Given, Sky
from ashblend.core.light.warmth import glow

# Kelvin of daylight under clouds: common practice.
CLOUDS = 6800.0
# What comes from where the sun stands behind them, in zenith luminances; chosen by eye.
THROUGH = 0.7
# What lies before the ground, from the horizon down: the sine at which a third is left. Chosen by eye.
MIST = 0.03


def _given(light: Light) -> Given:
    sun = toward(0.0, max(light.tilt, 0.0))
    colour = glow(CLOUDS)

    def seen(directions: F64) -> tuple[F64, F64]:
        # Before the ground lies mist as bright as the horizon over it.
        raised = np.where(directions[:, 1:2] > 0, directions, directions * [1.0, 0.0, 1.0] + [0.0, 1e-3, 0.0])
        raised = raised / np.linalg.norm(raised, axis=1, keepdims=True)
        radiance = against_zenith(OVERCAST_BRIGHTER_TOWARD_SUN, raised, sun)[:, None] * colour
        below = directions[:, 1:2] < 0
        through = np.where(below, np.exp(-MIST * light.haze / np.maximum(-directions[:, 1:2], 1e-6)), 1.0)
        return np.where(below, radiance * (1 - through), radiance), np.broadcast_to(through, radiance.shape)

    return Given(THROUGH * colour * max(0.0, float(sun[1])), seen)


OVERCAST = Sky(
    title="Overcast",
    about="Light from all over, a little more from where the sun is: colours show best",
    first={"tilt": 55.0, "haze": 1.0, "angle": 30.0, "white": 1.0},
    given=_given,
)
