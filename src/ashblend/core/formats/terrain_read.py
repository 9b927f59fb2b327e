"""A bundle that `terrain_package` wrote, read back."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, ValidationError

from ashblend.core.arrays import F32
from ashblend.core.channels.quantise import WeightBits, dequantise
from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.heights.format import MOST_EDGE, Grid, RawLayout
from ashblend.core.formats.heights.npy import read_array
from ashblend.core.formats.heights.read import read_grid
from ashblend.core.formats.heights.regions import joined_regions
from ashblend.core.formats.heights.tiff import read_planes
from ashblend.core.formats.images import read_image
from ashblend.core.formats.splat_files import unpacked
from ashblend.core.formats.terrain_package import MANIFEST
from ashblend.core.terrain.taken import Taking

AGAIN = "Export the terrain again."
Edge = Annotated[int, Field(ge=2, le=MOST_EDGE)]
MOST_CELLS = 8192
FileName = Annotated[str, Field(pattern=r"^[A-Za-z0-9_]{1,60}\.[a-z0-9]{1,5}$")]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True)


class _Heights(_Part):
    file: FileName
    rows: Edge
    cols: Edge
    spacing: FiniteFloat
    low: FiniteFloat = 0.0
    high: FiniteFloat = 1.0

    @property
    def taking(self) -> Taking:
        """Raises ValidationError where it would make no terrain."""
        return Taking(spacing=self.spacing, low=self.low, high=self.high)


class _Channel(_Part):
    name: Annotated[str, Field(min_length=1, max_length=60)]


class _Splat(_Part):
    file: FileName
    name: Annotated[str, Field(min_length=1, max_length=60)]
    rows: Annotated[int, Field(ge=2, le=MOST_CELLS)]
    cols: Annotated[int, Field(ge=2, le=MOST_CELLS)]
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
    """steps: (rows, cols, channels) as stored, of so many bits."""

    name: str
    channels: tuple[str, ...]
    steps: NDArray[np.unsignedinteger]
    bits: WeightBits

    def weights(self, channel: int) -> F32:
        """(rows, cols) 0..1."""
        return dequantise(self.steps[..., channel], self.bits)


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


def _stored(name: str, data: bytes, rows: int, cols: int, entry: _Splat, budget: Budget) -> NDArray[Any]:
    """The whole numbers of one splat file as they stand in it. Raises FormatError."""
    suffix, stored = name.rsplit(".", 1)[-1], entry.stored
    if suffix == "npy":
        return read_array(name, data, budget, kinds="u")
    if suffix == "tif":
        return read_planes(name, data, budget, kinds="u")
    if suffix != "raw":
        return read_image(data, name, alpha=True, most_pixels=MOST_EDGE**2, budget=budget)
    kind = {4: "<u2" if stored > 2 else "u1", 8: "u1", 16: "<u2"}[entry.bits]
    each = 1 if entry.bits == 4 else stored
    if len(data) != rows * cols * each * np.dtype(kind).itemsize:
        raise FormatError(f"{name} has {len(data):,} bytes, which do not fit its size.", AGAIN)
    values = np.frombuffer(data, kind)
    return values.reshape(rows, cols) if entry.bits == 4 else values.reshape(rows, cols, each)


def _steps(
    name: str, data: bytes, rows: int, cols: int, entry: _Splat, budget: Budget
) -> NDArray[np.unsignedinteger]:
    """(rows, cols, channels) of one splat file. Raises FormatError."""
    values = _stored(name, data, rows, cols, entry, budget)
    stored, bits = entry.stored, entry.bits
    packed = bits == 4 and name.endswith((".npy", ".raw"))
    planes = 1 if values.ndim == 2 else values.shape[2]
    wanted = 1 if packed else len(entry.channels)
    if values.shape[:2] != (rows, cols) or planes < wanted or stored < len(entry.channels):
        raise FormatError(
            f"{name} is not {cols} × {rows} with {len(entry.channels)} channels in {stored}.", AGAIN
        )
    # Two channels go out as pictures of three.
    if packed and values.ndim != 2:
        raise FormatError(f"{name} does not have four bits a channel in one number.", AGAIN)
    if packed or name.endswith((".npy", ".raw")):
        if not packed and planes != stored:
            raise FormatError(f"{name} does not have {stored} channels.", AGAIN)
        steps = unpacked(values, bits, stored)
    else:
        steps = values.reshape(rows, cols, -1)
        steps = steps // 17 if bits == 4 else steps
    if int(steps.max(initial=0)) > 2**bits - 1:
        raise FormatError(f"{name} holds numbers that {bits} bits cannot hold.", AGAIN)
    return steps


def read_package(files: Mapping[str, bytes]) -> ReadPackage:
    """Raises FormatError."""
    budget = Budget(sum(map(len, files.values())))
    try:
        manifest = _Manifest.model_validate(json.loads(files[MANIFEST]))
        taking = manifest.heights.taking
    except (ValueError, ValidationError, RecursionError) as error:
        raise FormatError(
            f"{MANIFEST} says nothing that can be read.", "Export the terrain again."
        ) from error
    heights, count = manifest.heights, manifest.regions.along_each_edge
    raw = heights.file.endswith((".raw", ".r16"))
    rows, cols = (heights.rows - 1) // count + 1, (heights.cols - 1) // count + 1
    layout = RawLayout(cols=cols, rows=rows, order="little") if raw else None
    grids = {
        place: read_grid(name, data, layout, budget)
        for place, (name, data) in _regions_of(heights.file, count, files).items()
    }
    values, _ = joined_regions({place: grid.values for place, grid in grids.items()})
    if values.shape != (heights.rows, heights.cols):
        raise FormatError("The heights are not of the size that the manifest says.", AGAIN)
    first = grids[0, 0]
    sets = tuple(_read_set(entry, manifest.regions, files, budget) for entry in manifest.splat)
    return ReadPackage(Grid(values, first.most, (), None), taking, sets)


def _read_set(entry: _Splat, regions: _Regions, files: Mapping[str, bytes], budget: Budget) -> ReadSet:
    count, border = regions.along_each_edge, regions.splat_border
    if entry.rows % count or entry.cols % count:
        raise FormatError(f"{entry.file} does not divide into {count} × {count} regions.", AGAIN)
    rows, cols = entry.rows // count + 2 * border, entry.cols // count + 2 * border
    parts = {
        place: _steps(name, data, rows, cols, entry, budget)[border : rows - border, border : cols - border]
        for place, (name, data) in _regions_of(entry.file, count, files).items()
    }
    across = [np.concatenate([parts[c, r] for c in range(count)], axis=1) for r in range(count)]
    steps = np.concatenate(across, axis=0)[..., : len(entry.channels)]
    return ReadSet(entry.name, tuple(c.name for c in entry.channels), steps, entry.bits)
