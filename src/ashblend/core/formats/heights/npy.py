"""NumPy's own format, version 1.0 to 3.0 (NumPy enhancement proposal 1)."""

import io
from typing import Any

import numpy as np
from numpy.lib import format as npy_format
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


def _read(name: str, data: bytes, _: RawLayout | None) -> Grid:
    file = io.BytesIO(data)
    try:
        version = npy_format.read_magic(file)
        head = npy_format.read_array_header_1_0 if version == (1, 0) else npy_format.read_array_header_2_0
        shape, _fortran, kind = head(file)
        if kind.hasobject or len(shape) not in (2, 3) or kind.itemsize == 0:
            raise FormatError(
                f"{name} is no array of heights (rows × columns).", "Save two dimensions of plain numbers."
            )
        if len(shape) == 3 and not 1 <= shape[2] <= 4:
            raise FormatError(f"{name} has {shape[2]:,} planes.", "Save one of them.")
        require_size(
            name,
            shape[0],
            shape[1],
            kind.itemsize * (shape[2] if len(shape) == 3 else 1),
            len(data) - file.tell(),
        )
        file.seek(0)
        values = np.load(file, allow_pickle=False)
    except FormatError:
        raise
    except (
        ValueError,
        EOFError,
        OSError,
        SyntaxError,
        TypeError,
        OverflowError,
        MemoryError,
        KeyError,
        RecursionError,
    ) as error:
        raise FormatError(f"{name} is damaged.", "Save it again as NPY.") from error
    plane, notes = one_plane(name, values)
    return Grid(*stored(name, np.ascontiguousarray(plane).astype(plane.dtype.newbyteorder("="))), notes)


def _write(values: NDArray[Any]) -> bytes:
    out = io.BytesIO()
    np.save(out, values, allow_pickle=False)
    return out.getvalue()


NPY = HeightFormat("NPY", (".npy",), _read, _write, ("16", "float"))
