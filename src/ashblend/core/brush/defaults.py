"""What brush, tiles and noise begin with on a surface of a size."""

import math

from pydantic import BaseModel

# As shares of the surface's diagonal. By hand, on the sample surfaces: some ten strokes across, and never lost on it.
FIRST, SMALLEST, LARGEST = 1 / 25, 1 / 400, 1 / 6
# A tile is a metre wide, but a surface has no fewer than two and no more than some two hundred beside each other.
TILE, FEWEST, MOST = 1.0, 2.0, 200.0
NOISE = 1 / 20


class FirstSizes(BaseModel):
    """Metres. radius: to begin with. least, most: a radius kept from another surface that lies outside is left.

    tile: of a new layer. noise: size of its features.
    """

    radius: float
    least: float
    most: float
    tile: float
    noise: float


def round_size(metres: float) -> float:
    """The nearest of 1, 2, 5 times a power of ten."""
    power = 10.0 ** math.floor(math.log10(metres))
    return min((power * step for step in (1, 2, 5, 10)), key=lambda size: abs(math.log(size / metres)))


def first_tile(diagonal: float) -> float:
    """Metres a tile for a surface of a diagonal in metres."""
    return round_size(min(max(TILE, diagonal / MOST), diagonal / FEWEST))


def first_sizes(diagonal: float) -> FirstSizes:
    """For a surface of a diagonal in metres."""
    return FirstSizes(
        radius=diagonal * FIRST,
        least=diagonal * SMALLEST,
        most=diagonal * LARGEST,
        tile=first_tile(diagonal),
        noise=round_size(diagonal * NOISE),
    )
