"""TIFF 6.0, grey, of 8 or 16 bits or float; plain or deflated."""

import io
import zlib
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.heights.format import (
    Grid,
    HeightFormat,
    RawLayout,
    one_plane,
    require_size,
    stored,
)

# A deflated run is at most so many times as small as what it holds (RFC 1951: 258 bytes of one length code).
MOST_DEFLATED = 1032
# Bytes that are inflated at a time to see how many there are; what a tile may hold beyond the picture.
PIECE = 1 << 20
MARGIN = 4 << 20
# Compression, by its number in TIFF 6.0 and its supplements.
PLAIN, DEFLATED = (1,), (8, 32946)
REMEDY = "Save it plain or deflated."


def _inflates_to(packed: bytes, most: int) -> bool:
    """Whether a deflated run holds no more than so many bytes: what a head says of it need not be true."""
    stream = zlib.decompressobj()
    room = most
    while packed and room >= 0:
        part = stream.decompress(packed, min(room + 1, PIECE))
        room -= len(part)
        packed = stream.unconsumed_tail
        if not part and not packed:
            break
    return room >= 0


def read_planes(name: str, data: bytes, budget: Budget, kinds: str = "uif") -> NDArray[Any]:
    """The first picture of a TIFF, (rows, cols) or (rows, cols, planes), up to four, of plain numbers. Raises FormatError.

    kinds: of numbers that are taken, by NumPy's letters.
    """
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
            if kind.kind not in kinds:
                raise FormatError(f"{name} holds numbers of a kind that is not taken ({kind}).", REMEDY)
            require_size(name, shape[0], shape[1], 1)
            if int(page.compression) not in (*PLAIN, *DEFLATED):
                raise FormatError(f"{name} is packed in a way that is not read here.", REMEDY)
            whole = shape[0] * shape[1] * planes * kind.itemsize
            times = MOST_DEFLATED if int(page.compression) in DEFLATED else 1
            if whole > times * len(data):
                raise FormatError(
                    f"{name} claims far more than {len(data):,} bytes can hold.", "Save it again as TIFF."
                )
            budget.take(whole, name)
            if int(page.compression) in DEFLATED:
                _require_honest(name, data, page, whole)
            return np.asarray(page.asarray())
    except FormatError:
        raise
    except Exception as error:
        # A damaged tag can end in any error of the reader's.
        raise FormatError(
            f"{name} is damaged, or of a kind of TIFF that is not read here.", REMEDY
        ) from error


def _require_honest(name: str, data: bytes, page: Any, whole: int) -> None:
    """Every strip or tile inflates to no more than the picture. Raises FormatError."""
    left = whole + MARGIN
    for begin, count in zip(page.dataoffsets, page.databytecounts, strict=True):
        # Tiles at the edge hold more than is seen of them.
        if not _inflates_to(data[begin : begin + count], left):
            raise FormatError(f"{name} unpacks to more than it says.", "Save it again as TIFF.")


def _read(name: str, data: bytes, _: RawLayout | None, budget: Budget) -> Grid:
    plane, notes = one_plane(name, read_planes(name, data, budget))
    return Grid(*stored(name, plane), notes)


def _write(values: NDArray[Any]) -> bytes:
    import tifffile

    out = io.BytesIO()
    tifffile.imwrite(
        out, np.ascontiguousarray(values), photometric="minisblack", compression="zlib", metadata=None
    )
    return out.getvalue()


TIFF = HeightFormat("TIFF", (".tif", ".tiff"), _read, _write, ("16", "float"))
