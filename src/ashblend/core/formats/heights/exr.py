"""OpenEXR: the channel Y or Z, else the first."""

import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.heights.format import Grid, HeightFormat, RawLayout, require_size, stored

# What folders that it reads from are called; those that a kill leaves are swept at a start.
FOLDERS = "ashblend-"
MOST_CHANNELS = 16
HEIGHT_NAMES = ("Y", "Z", "height", "R")


def _size(part: Any) -> tuple[int, int]:
    """Rows and columns by a part's head."""
    low, high = part.header["dataWindow"]
    return int(high[1]) - int(low[1]) + 1, int(high[0]) - int(low[0]) + 1


def _require_room(name: str, parts: list[Any], budget: Budget) -> tuple[int, int]:
    """Rows and columns of the first part; the library reads every channel of every part. Raises FormatError."""
    sizes = []
    for part in parts:
        rows, cols = _size(part)
        require_size(name, rows, cols, 2)
        channels = part.header["channels"]
        if len(channels) > MOST_CHANNELS:
            raise FormatError(f"{name} has {len(channels)} channels.", "Save one of heights.")
        # Counted as the widest there are: what is read is copied once.
        budget.take(rows * cols * 4 * max(1, len(channels)), name)
        sizes.append((rows, cols))
    return sizes[0]


def _read(name: str, data: bytes, _: RawLayout | None, budget: Budget) -> Grid:
    import OpenEXR

    if not data.startswith(b"\x76\x2f\x31\x01"):
        raise FormatError(f"{name} is no OpenEXR file.", "Save it again as EXR.")
    # The library reads files by name only.
    with tempfile.TemporaryDirectory(prefix=FOLDERS) as folder:
        path = Path(folder) / "heights.exr"
        path.write_bytes(data)
        try:
            with OpenEXR.File(str(path), header_only=True) as head:
                rows, cols = _require_room(name, head.parts, budget)
            with OpenEXR.File(str(path), separate_channels=True) as file:
                channels = {key: np.array(c.pixels) for key, c in file.channels().items()}
        except FormatError:
            raise
        except Exception as error:
            raise FormatError(f"{name} is damaged.", "Save it again as EXR.") from error
    if not channels:
        raise FormatError(f"{name} holds no channel.", "Save one of heights.")
    chosen = next((key for key in HEIGHT_NAMES if key in channels), next(iter(channels)))
    notes = (f"Of the channels of {name}, {chosen} is taken as height.",) if len(channels) > 1 else ()
    values = channels[chosen]
    if values.shape != (rows, cols):
        raise FormatError(f"{name} has channels of unlike sizes.", "Save heights at full size.")
    return Grid(*stored(name, values.astype(np.float32)), notes)


def _write(values: NDArray[Any]) -> bytes:
    import OpenEXR

    with tempfile.TemporaryDirectory(prefix=FOLDERS) as folder:
        path = Path(folder) / "heights.exr"
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        with OpenEXR.File(header, {"Y": np.ascontiguousarray(values, np.float32)}) as file:
            file.write(str(path))
        return path.read_bytes()


EXR = HeightFormat("EXR", (".exr",), _read, _write, ("float",))
