"""Grey PNG of 8 or 16 bits (ISO/IEC 15948)."""

from typing import Any

from numpy.typing import NDArray

from ashblend.core.formats.budget import Budget
from ashblend.core.formats.heights.format import MOST_EDGE, Grid, HeightFormat, RawLayout, one_plane, stored
from ashblend.core.formats.images import read_image, write_png


def _read(name: str, data: bytes, _: RawLayout | None, budget: Budget) -> Grid:
    values, notes = one_plane(name, read_image(data, name, most_pixels=MOST_EDGE**2, budget=budget))
    return Grid(*stored(name, values), notes)


def _write(values: NDArray[Any]) -> bytes:
    return write_png(values)


PNG = HeightFormat("PNG", (".png",), _read, _write, ("16",))
