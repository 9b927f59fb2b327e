"""Night, and a lamp."""

from ashblend.core.arrays import F64
from ashblend.core.bearing import toward
from ashblend.core.light.atmosphere import air_of, scattered
from ashblend.core.light.document import Light
from ashblend.core.light.skies.sky import Given, Sky
from ashblend.core.light.warmth import glow

# Kelvin of a lamp with a glowing wire: common practice.
LAMP = 2700.0
# The moon that the sky is of: degrees up, and its light as a share of the lamp's. Chosen by eye: seen, and no more.
MOON = 35.0
MOONLIGHT = 0.09


def _given(light: Light) -> Given:
    air = air_of(light.haze)
    moon = toward(180.0, MOON)

    def seen(directions: F64) -> tuple[F64, F64]:
        radiance, through = scattered(air, directions, moon)
        return radiance * MOONLIGHT, through

    return Given(glow(LAMP), seen, near=True)


NIGHT_WITH_LAMP = Sky(
    title="Night with a lamp",
    about="A warm lamp near by under a moonlit sky: wet and rough tell apart",
    first={"tilt": 38.0, "haze": 1.0, "angle": 2.0, "white": 0.55},
    given=_given,
)
