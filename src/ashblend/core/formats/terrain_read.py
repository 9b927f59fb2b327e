"""A bundle that `terrain_package` wrote, read back."""

import io
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ashblend.core.arrays import F32
from ashblend.core.channels.quantise import dequantise
from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.heights import Grid, RawLayout, read_grid
from ashblend.core.formats.images import read_image
from ashblend.core.formats.splat_files import unpacked
from ashblend.core.formats.terrain_package import MANIFEST
from ashblend.core.terrain.regions import joined_regions
from ashblend.core.terrain.taken import Taking

Edge = Annotated[int, Field(ge=2, le=8193)]
FileName = Annotated[str, Field(pattern=r"^[A-Za-z0-9_]{1,60}\.[a-z0-9]{1,5}$")]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True)


class _Heights(_Part):
    file: FileName
    rows: Edge
    cols: Edge
    spacing: Annotated[float, Field(gt=0, le=1000)]
    low: float = 0.0
    high: float = 1.0


class _Channel(_Part):
    name: Annotated[str, Field(min_length=1, max_length=60)]


class _Splat(_Part):
    file: FileName
    name: Annotated[str, Field(min_length=1, max_length=60)]
    rows: Edge
    cols: Edge
    bits: Literal[4, 8, 16]
    channels: Annotated[list[_Channel], Field(min_length=1, max_length=4)]
    stored: Annotated[int, Field(ge=1, le=4)] = 4


class _Regions(_Part):
    along_each_edge: Annotated[int, Field(ge=1, le=32)] = 1
    splat_border: Annotated[int, Field(ge=0, le=8)] = 0


class _Manifest(_Part):
    heights: _Heights
    regions: _Regions = _Regions()
    splat: Annotated[list[_Splat], Field(max_length=8)] = []


@dataclass(frozen=True)
class ReadSet:
    """weights: (rows, cols, channels) 0..1."""

    name: str
    channels: tuple[str, ...]
    weights: F32


@dataclass(frozen=True)
class ReadPackage:
    grid: Grid
    taking: Taking
    sets: tuple[ReadSet, ...]


def is_package(files: Mapping[str, bytes]) -> bool:
    return MANIFEST in files


def _regions_of(
    file: str, count: int, files: Mapping[str, bytes]
) -> dict[tuple[int, int], tuple[str, bytes]]:
    stem, suffix = file.rsplit(".", 1)
    names = {(c, r): f"{stem}_x{c}_y{r}.{suffix}" for r in range(count) for c in range(count)}
    if count == 1:
        names = {(0, 0): file}
    missing = [name for name in names.values() if name not in files]
    if missing:
        raise FormatError(f"{missing[0]} is missing from the bundle.", "Export it again, or add the file.")
    return {place: (name, files[name]) for place, name in names.items()}


def _steps(name: str, data: bytes, rows: int, cols: int, entry: _Splat) -> NDArray[np.uint16]:
    """(rows, cols, channels) of one splat file. Raises FormatError."""
    suffix = name.rsplit(".", 1)[-1]
    stored = entry.stored
    if suffix in ("npy", "raw"):
        if suffix == "npy":
            values = read_npy(name, data)
        else:
            kind = {4: "<u2" if stored > 2 else "u1", 8: "u1", 16: "<u2"}[entry.bits]
            each = 1 if entry.bits == 4 else stored
            if len(data) != rows * cols * each * np.dtype(kind).itemsize:
                raise FormatError(
                    f"{name} has {len(data):,} bytes, which do not fit its size.", "Export it again."
                )
            values = np.frombuffer(data, kind)
            values = values.reshape(rows, cols) if entry.bits == 4 else values.reshape(rows, cols, each)
        steps = unpacked(values, entry.bits, stored)
    else:
        values = read_image_planes(name, data)
        steps = values.reshape(*values.shape[:2], -1).astype(np.uint16)
        if entry.bits == 4:
            steps = steps // 17
    if steps.shape[:2] != (rows, cols) or steps.shape[2] < min(stored, len(entry.channels)):
        raise FormatError(f"{name} is not {cols} × {rows} with {stored} channels.", "Export it again.")
    return steps


def read_npy(name: str, data: bytes) -> NDArray[Any]:
    try:
        return np.load(io.BytesIO(data), allow_pickle=False)
    except (ValueError, EOFError, OSError, MemoryError) as error:
        raise FormatError(f"{name} is damaged.", "Export it again.") from error


def read_image_planes(name: str, data: bytes) -> NDArray[Any]:
    """A picture with all its channels, alpha too."""
    if name.endswith(".tif"):
        import tifffile

        try:
            return tifffile.imread(io.BytesIO(data))
        except Exception as error:
            raise FormatError(f"{name} is damaged.", "Export it again.") from error
    return read_image(data, name, alpha=True)


def read_package(files: Mapping[str, bytes]) -> ReadPackage:
    """Raises FormatError."""
    try:
        manifest = _Manifest.model_validate(json.loads(files[MANIFEST]))
    except (ValueError, ValidationError, RecursionError) as error:
        raise FormatError(
            f"{MANIFEST} says nothing that can be read.", "Export the terrain again."
        ) from error
    heights, count = manifest.heights, manifest.regions.along_each_edge
    raw = heights.file.endswith((".raw", ".r16"))
    rows, cols = (heights.rows - 1) // count + 1, (heights.cols - 1) // count + 1
    layout = RawLayout(cols=cols, rows=rows, order="little") if raw else None
    grids = {
        place: read_grid(name, data, layout)
        for place, (name, data) in _regions_of(heights.file, count, files).items()
    }
    values, _ = joined_regions({place: grid.values for place, grid in grids.items()})
    if values.shape != (heights.rows, heights.cols):
        raise FormatError(
            "The heights are not of the size that the manifest says.", "Export the terrain again."
        )
    first = grids[0, 0]
    sets = tuple(_read_set(entry, manifest.regions, files) for entry in manifest.splat)
    return ReadPackage(
        Grid(values, first.most, (), None),
        Taking(spacing=heights.spacing, low=heights.low, high=heights.high),
        sets,
    )


def _read_set(entry: _Splat, regions: _Regions, files: Mapping[str, bytes]) -> ReadSet:
    count, border = regions.along_each_edge, regions.splat_border
    rows, cols = entry.rows // count + 2 * border, entry.cols // count + 2 * border
    parts = {
        place: _steps(name, data, rows, cols, entry)[border : rows - border, border : cols - border]
        for place, (name, data) in _regions_of(entry.file, count, files).items()
    }
    across = [np.concatenate([parts[c, r] for c in range(count)], axis=1) for r in range(count)]
    steps = np.concatenate(across, axis=0)[..., : len(entry.channels)]
    return ReadSet(entry.name, tuple(c.name for c in entry.channels), dequantise(steps, entry.bits))
