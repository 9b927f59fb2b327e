"""What a sky gives, and what it says of itself."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ashblend.core.arrays import F64
from ashblend.core.light.document import Light


@dataclass(frozen=True)
class Given:
    """Of one light, in any unit that is one for all of it, with the sun or lamp in the north.

    key: (3,) irradiance on a plane that is turned to it. seen: radiance (k, 3) of directions (k, 3) of length one, below the
    horizon of what lies before the ground, and how much (k, 3) comes through of the ground.
    near: the key light is a lamp near by, and not as far as the sun.
    """

    key: F64
    seen: Callable[[F64], tuple[F64, F64]]
    near: bool = False


@dataclass(frozen=True)
class Sky:
    """first: what a light has first, under this sky, besides what every light has."""

    title: str
    about: str
    first: Mapping[str, float]
    given: Callable[[Light], Given]
