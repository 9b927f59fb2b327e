"""What a brush begins with on a surface."""

from pydantic import BaseModel

# As shares of the surface's diagonal.
FIRST, SMALLEST, LARGEST = 1 / 25, 1 / 400, 1 / 6


class FirstBrush(BaseModel):
    """Metres. radius: to begin with. least, most: a radius kept from another surface that lies outside is left."""

    radius: float
    least: float
    most: float


def first_brush(diagonal: float) -> FirstBrush:
    """For a surface of a diagonal in metres."""
    return FirstBrush(radius=diagonal * FIRST, least=diagonal * SMALLEST, most=diagonal * LARGEST)
