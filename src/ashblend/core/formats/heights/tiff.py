"""TIFF 6.0, grey, of 8 or 16 bits or float; plain or deflated."""

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.heights.format import (
    Grid,
    HeightFormat,
    RawLayout,
    one_plane,
    require_size,
    stored,
)

# A deflated strip is at most so many times as small as what it holds (RFC 1951: 258 bytes of one length code).
MOST_DEFLATED = 1032


def _read(name: str, data: bytes, _: RawLayout | None) -> Grid:
    import tifffile

    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            if not file.pages:
                raise FormatError(f"{name} holds no picture.", "Save it again as TIFF.")
            page = file.pages[0]
            shape, kind = tuple(page.shape), page.dtype
            if kind is None or len(shape) not in (2, 3):
                raise FormatError(f"{name} is no picture of heights.", "Save one grey plane of it.")
            planes = shape[2] if len(shape) == 3 else 1
            if planes > 4:
                raise FormatError(f"{name} has {planes:,} planes.", "Save one of them.")
            require_size(name, shape[0], shape[1], 1)
            if shape[0] * shape[1] * planes * kind.itemsize > MOST_DEFLATED * len(data):
                raise FormatError(
                    f"{name} claims far more than {len(data):,} bytes can hold.", "Save it again as TIFF."
                )
            values = page.asarray()
    except FormatError:
        raise
    except Exception as error:
        # A damaged tag can end in any error of the reader's.
        raise FormatError(
            f"{name} is damaged, or of a kind of TIFF that is not read here.", "Save it plain or deflated."
        ) from error
    plane, notes = one_plane(name, values)
    return Grid(*stored(name, plane), notes)


def _write(values: NDArray[Any]) -> bytes:
    import tifffile

    out = io.BytesIO()
    tifffile.imwrite(
        out, np.ascontiguousarray(values), photometric="minisblack", compression="zlib", metadata=None
    )
    return out.getvalue()


TIFF = HeightFormat("TIFF", (".tif", ".tiff"), _read, _write, ("16", "float"))
