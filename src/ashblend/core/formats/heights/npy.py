"""NumPy's own format, version 1.0 to 3.0 (NumPy enhancement proposal 1)."""

import io
from typing import Any

import numpy as np
from numpy.lib import format as npy_format
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


def read_array(name: str, data: bytes, budget: Budget, kinds: str = "uif") -> NDArray[Any]:
    """Two dimensions of plain numbers, or three of up to four planes. Raises FormatError.

    kinds: of numbers that are taken, by NumPy's letters.
    """
    file = io.BytesIO(data)
    try:
        version = npy_format.read_magic(file)
        head = npy_format.read_array_header_1_0 if version == (1, 0) else npy_format.read_array_header_2_0
        shape, _fortran, kind = head(file)
        if kind.kind not in kinds or len(shape) not in (2, 3):
            raise FormatError(
                f"{name} is no array of plain numbers (rows × columns).", "Save two dimensions of them."
            )
        planes = shape[2] if len(shape) == 3 else 1
        if not 1 <= planes <= 4:
            raise FormatError(f"{name} has {planes:,} planes.", "Save one of them.")
        require_size(name, shape[0], shape[1], kind.itemsize * planes, len(data) - file.tell())
        budget.take(shape[0] * shape[1] * planes * kind.itemsize, name)
        file.seek(0)
        return np.load(file, allow_pickle=False)
    except FormatError:
        raise
    except Exception as error:
        # The head is a piece of Python: a damaged one can end in any error of its reader's.
        raise FormatError(f"{name} is damaged.", "Save it again as NPY.") from error


def _read(name: str, data: bytes, _: RawLayout | None, budget: Budget) -> Grid:
    plane, notes = one_plane(name, read_array(name, data, budget))
    return Grid(*stored(name, np.ascontiguousarray(plane).astype(plane.dtype.newbyteorder("="))), notes)


def _write(values: NDArray[Any]) -> bytes:
    out = io.BytesIO()
    np.save(out, values, allow_pickle=False)
    return out.getvalue()


NPY = HeightFormat("NPY", (".npy",), _read, _write, ("16", "float"))
