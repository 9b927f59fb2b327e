"""Sun and blue sky, dawn and dusk."""

from ashblend.core.arrays import F64
from ashblend.core.bearing import toward
from ashblend.core.light.atmosphere import air_of, scattered, sunlight
from ashblend.core.light.document import Light
from ashblend.core.light.skies.sky import Given, Sky


def under_sun(light: Light) -> Given:
    """A sun in clear air, wherever it stands."""
    air = air_of(light.haze)
    sun = toward(0.0, light.tilt)

    def seen(directions: F64) -> tuple[F64, F64]:
        return scattered(air, directions, sun)

    return Given(sunlight(air, light.tilt), seen)


CLEAR = Sky(
    title="Clear",
    about="A sun anywhere between below the horizon and the zenith, and the sky that goes with it",
    first={"tilt": 40.0, "haze": 1.2, "angle": 1.0, "white": 0.6},
    given=under_sun,
)
