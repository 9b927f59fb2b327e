"""A terrain as a bundle of open files: heights, splat maps, a mesh, and a manifest that says how they lie together.

Registration: heights are samples at grid corners; splat texels are cells whose centres lie between them. Regions of
heights share their edges; regions of splat maps meet between cells, and may have a border of their neighbours' cells.
"""

import io
import json
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.arrays import F32, F64
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.heights.read import FORMATS
from ashblend.core.formats.heights.regions import region_spans
from ashblend.core.formats.splat_files import WRITERS, SplatFormat, bytes_a_texel
from ashblend.core.formats.splat_steps import ordered_to_sum, rounded, summing_steps
from ashblend.core.sets.document import CHANNEL_LETTERS, ChannelSetDocument
from ashblend.core.sites.layout import SIDE
from ashblend.core.terrain.frame import grid_mesh
from ashblend.core.terrain.sites import TerrainSites
from ashblend.core.terrain.terrain import Terrain

MANIFEST = "manifest.json"
HeightsKind = Literal["PNG", "raw", "TIFF", "EXR", "NPY"]


class PackageChoice(BaseModel):
    """heights, depth: format and numbers of the heights. low, high: metres that 0 and 65 535 stand for; without them the
    lowest and the highest there are. splat, bits, channels: of the splat maps.

    dither: at four bits. normalised: weights that sum to one with the ground. regions: along an edge. border: cells of
    the neighbours around each region. mesh: cells of the mesh along the longer edge, 0 for none.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    heights: HeightsKind = "PNG"
    depth: Literal["16", "float"] = "16"
    low: Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)] | None = None
    high: Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)] | None = None
    splat: SplatFormat = "png"
    bits: Literal[4, 8, 16] = 8
    channels: Literal[1, 2, 4] = 4
    dither: bool = False
    normalised: bool = False
    regions: Annotated[int, Field(ge=1, le=32)] = 1
    border: Annotated[int, Field(ge=0, le=8)] = 0
    mesh: Annotated[int, Field(ge=0, le=512)] = 256


@dataclass(frozen=True)
class PackedSet:
    """A set on cells as it goes out."""

    document: ChannelSetDocument
    sites: TerrainSites
    channels: tuple[Channel, ...]


def set_steps(sets: list[PackedSet], choice: PackageChoice) -> list[NDArray[np.uint16]]:
    """(rows, cols, channels) steps of each set. Raises ValueError for sets that cannot be mixed together."""
    out = [np.zeros((s.sites.rows, s.sites.cols, choice.channels), np.uint16) for s in sets]
    if not choice.normalised:
        for entry, steps in zip(sets, out, strict=True):
            for tile in range(entry.sites.layout.tiles):
                left, top, planes = _tile(entry, tile)
                for number, plane in enumerate(planes[: choice.channels]):
                    made = rounded(plane, choice.bits, choice.dither, left, top)
                    steps[top : top + plane.shape[0], left : left + plane.shape[1], number] = made
        return out
    if len({(s.sites.rows, s.sites.cols) for s in sets}) > 1:
        raise ValueError("Sets of unlike sizes cannot be summed to one together.")
    for tile in range(sets[0].sites.layout.tiles):
        planes, owners = [], []
        left = top = 0
        for number, entry in enumerate(sets):
            left, top, held = _tile(entry, tile)
            planes += held[: choice.channels]
            owners += [(number, channel) for channel in range(min(len(held), choice.channels))]
        for (number, channel), made in zip(
            owners, summing_steps(ordered_to_sum(planes), choice.bits), strict=True
        ):
            out[number][top : top + made.shape[0], left : left + made.shape[1], channel] = made
    return out


def _tile(entry: PackedSet, tile: int) -> tuple[int, int, list[F64]]:
    """First column and row of a tile, and the weights of each channel there."""
    sites = entry.sites
    here = sites.in_tile(tile)
    left, top = (tile % sites.across) * SIDE, (tile // sites.across) * SIDE
    shape = (min(SIDE, sites.rows - top), min(SIDE, sites.cols - left))
    return left, top, [c.values(here).reshape(shape) / np.float64(FULL) for c in entry.channels]


def _with_border(steps: NDArray[np.uint16], rows: slice, cols: slice, border: int) -> NDArray[np.uint16]:
    """A part with some of what lies around it; the edge of the whole is repeated."""
    at = [
        np.clip(np.arange(span.start - border, span.stop + border), 0, count - 1)
        for span, count in ((rows, steps.shape[0]), (cols, steps.shape[1]))
    ]
    return steps[np.ix_(*at)]


def _stored_heights(
    terrain: Terrain, heights: F32, choice: PackageChoice
) -> tuple[NDArray[Any], dict[str, Any]]:
    """Numbers as they are stored, and what they mean. Raises ValueError for heights beyond the range that is wanted."""
    if choice.depth == "float":
        return heights, {"kind": "float", "unit": "metres"}
    lowest, highest = float(heights.min()), float(heights.max())
    low = lowest if choice.low is None else choice.low
    high = highest if choice.high is None else choice.high
    # Half a step is what whole numbers hold anyway.
    room = abs(high - low) / 65535 / 2
    if lowest < low - room or highest > high + room:
        raise ValueError(
            f"Heights from {lowest:.2f} to {highest:.2f} m do not fit between {low:g} and {high:g} m: take a wider range, or fit it."
        )
    span = max(high - low, 1e-6)
    numbers = np.rint(np.clip((heights.astype(np.float64) - low) / span, 0, 1) * 65535).astype(np.uint16)
    return numbers, {"kind": "uint16", "low": low, "high": low + span}


def package(
    name: str,
    terrain: Terrain,
    heights: F32,
    sets: list[PackedSet],
    blend: dict[str, Any],
    choice: PackageChoice,
    materials: Mapping[str, str] = MappingProxyType({}),
) -> bytes:
    """The bundle as a zip. heights: (rows, cols) as they are now. materials: names by the ids that the blend has.

    Raises ValueError for choices that do not fit.
    """
    form = next(f for f in FORMATS if f.name == choice.heights)
    if choice.depth not in form.depths:
        raise ValueError(
            f"{form.name} has no heights as {'floats' if choice.depth == 'float' else 'whole numbers'}."
        )
    try:
        height_spans = [region_spans(count, choice.regions, 1) for count in heights.shape]
    except ValueError as error:
        raise ValueError(
            f"{terrain.cols} × {terrain.rows} heights do not divide into {choice.regions} × {choice.regions} regions with shared edges."
        ) from error
    numbers, meaning = _stored_heights(terrain, heights, choice)
    files: dict[str, bytes] = {}
    regions = choice.regions

    def named(stem: str, col: int, row: int, suffix: str) -> str:
        return f"{stem}{f'_x{col}_y{row}' if regions > 1 else ''}{suffix}"

    for row, down in enumerate(height_spans[0]):
        for col, across in enumerate(height_spans[1]):
            part = np.ascontiguousarray(numbers[down, across])
            files[named("heights", col, row, form.suffixes[0])] = form.write(part)
    told = []
    for number, (entry, steps) in enumerate(zip(sets, set_steps(sets, choice), strict=True)):
        stem = f"splat{number}"
        try:
            spans = [region_spans(count, regions, 0) for count in steps.shape[:2]]
        except ValueError as error:
            raise ValueError(
                f"{entry.document.name} does not divide into {regions} × {regions} regions."
            ) from error
        writer = WRITERS[choice.splat]
        for row, down in enumerate(spans[0]):
            for col, across in enumerate(spans[1]):
                part = _with_border(steps, down, across, choice.border)
                files[named(stem, col, row, writer.suffix)] = writer.write(part, choice.bits)
        told.append(
            {
                "file": f"{stem}{writer.suffix}",
                "name": entry.document.name,
                "rows": steps.shape[0],
                "cols": steps.shape[1],
                "registration": "cells",
                "bits": choice.bits,
                "stored": choice.channels,
                "dither": choice.dither,
                "channels": [
                    {"letter": CHANNEL_LETTERS[i], "name": channel.name}
                    for i, channel in enumerate(entry.document.channels[: choice.channels])
                ],
                "bytes_in_video_memory": int(
                    steps.shape[0] * steps.shape[1] * bytes_a_texel(choice.channels, choice.bits)
                ),
            }
        )
    if choice.mesh:
        files["mesh.glb"] = _mesh(name, terrain, heights, choice.mesh)
    manifest = {
        "made_by": "Ash Blend",
        "version": 1,
        "name": name,
        "heights": {
            "file": f"heights{form.suffixes[0]}",
            "format": choice.heights,
            "rows": terrain.rows,
            "cols": terrain.cols,
            "spacing": terrain.spacing,
            "registration": "corners",
            "byte_order": "little",
            **meaning,
        },
        "regions": {
            "along_each_edge": regions,
            "heights_share_edges": regions > 1,
            "splat_border": choice.border,
        },
        "mixing": "weights sum to one with the ground"
        if choice.normalised
        else "in order: higher covers lower",
        "splat": told,
        "materials": dict(materials),
        "blend": blend,
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for file, data in {MANIFEST: json.dumps(manifest, indent=1).encode(), **files}.items():
            # No time in it: the same terrain gives the same bytes.
            archive.writestr(zipfile.ZipInfo(file), data)
    return out.getvalue()


def _mesh(name: str, terrain: Terrain, heights: F32, cells: int) -> bytes:
    longest = max(terrain.rows, terrain.cols) - 1
    rows, cols = (
        min(count - 1, max(1, round(cells * (count - 1) / longest))) + 1
        for count in (terrain.rows, terrain.cols)
    )
    across, down = np.linspace(0, 1, cols), np.linspace(0, 1, rows)
    over = np.stack(np.meshgrid(across, down), axis=-1).reshape(-1, 2)
    return build_glb(grid_mesh(terrain, heights, over, rows, cols), [], name)
