"""What a height map's format is, and what one holds."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError

MOST_EDGE = 8193
Order = Literal["little", "big"]


class RawLayout(BaseModel):
    """How a file of bare numbers is to be read. order: which byte of two comes first, the small one or the big one."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    cols: Annotated[int, Field(ge=2, le=MOST_EDGE)]
    rows: Annotated[int, Field(ge=2, le=MOST_EDGE)]
    order: Order = "little"


@dataclass(frozen=True)
class Grid:
    """values: (rows, cols) as stored: uint8, uint16 or float32. most: the greatest that whole numbers can be, None for
    floats. notes: for the artist. raw: how a file without a head was read.
    """

    values: NDArray[Any]
    most: int | None
    notes: tuple[str, ...] = ()
    raw: RawLayout | None = None


@dataclass(frozen=True)
class HeightFormat:
    """read: name, bytes, how to read bare numbers, what the upload may still decode to. write: uint16 or float32 (rows, cols). Raises FormatError.

    depths: what can be written. suffixes: the first is what is written.
    """

    name: str
    suffixes: tuple[str, ...]
    read: Callable[[str, bytes, RawLayout | None, Budget], Grid]
    write: Callable[[NDArray[Any]], bytes]
    depths: tuple[Literal["16", "float"], ...]


def require_size(name: str, rows: int, cols: int, each: int, there: int | None = None) -> None:
    """Before anything is reserved. each: bytes a height. there: bytes that are there. Raises FormatError."""
    if not (1 <= rows <= MOST_EDGE and 1 <= cols <= MOST_EDGE):
        raise FormatError(
            f"{name} claims {cols:,} × {rows:,} heights; at most {MOST_EDGE:,} along each edge can be painted here.",
            "Crop or resample it.",
        )
    if there is not None and there < rows * cols * each:
        raise FormatError(
            f"{name} claims {cols:,} × {rows:,} heights, which are {rows * cols * each:,} bytes; it holds {there:,}.",
            "It is cut off: save it again.",
        )


def one_plane(name: str, values: NDArray[Any]) -> tuple[NDArray[Any], tuple[str, ...]]:
    """(rows, cols) of a picture that may have several channels, and what to say about it. Raises FormatError."""
    if values.ndim == 2:
        return values, ()
    if values.ndim != 3:
        raise FormatError(
            f"{name} has {values.ndim} dimensions; a height map has two.", "Save one plane of it."
        )
    first = np.ascontiguousarray(values[..., 0])
    if all(
        np.array_equal(first, values[..., c], equal_nan=values.dtype.kind == "f")
        for c in range(1, min(3, values.shape[2]))
    ):
        return first, ()
    return first, (f"{name} has {values.shape[2]} channels that differ; the first is taken as height.",)


def stored(name: str, values: NDArray[Any]) -> tuple[NDArray[Any], int | None]:
    """Numbers of any kind as uint8, uint16 or float32, and the greatest that whole ones can be. Raises FormatError."""
    kind = values.dtype
    if kind == np.uint8:
        return values, 255
    if kind == np.uint16:
        return values, 65535
    if kind.kind == "f" or kind.kind in "iu":
        with np.errstate(over="ignore"):
            return values.astype(np.float32), None
    raise FormatError(
        f"{name} holds numbers of a kind that heights cannot have ({kind}).", "Save it as 16-bit or float."
    )
