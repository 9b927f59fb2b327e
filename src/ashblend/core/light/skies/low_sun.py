"""A sun near the horizon."""

from ashblend.core.light.skies.clear import under_sun
from ashblend.core.light.skies.sky import Sky

LOW_SUN = Sky(
    title="Low sun",
    about="Warm light that grazes, in hazy air: relief shows best",
    first={"tilt": 9.0, "haze": 1.5, "angle": 1.5, "white": 0.45},
    given=under_sun,
)
