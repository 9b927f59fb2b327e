"""What heights bring with them: facts, sets to paint into, and what the artist should be told."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ashblend.core.channels.channel import Channel, channel_of_values, empty_channel
from ashblend.core.formats.terrain_read import ReadSet
from ashblend.core.sets.document import (
    CHANNEL_LETTERS,
    ChannelDocument,
    ChannelSetDocument,
    FileUndercoat,
)
from ashblend.core.sites.layout import SIDE
from ashblend.core.surface.kinds.cells import CellSites
from ashblend.core.surface.kinds.corners import CornerSites
from ashblend.core.surface.kinds.registry import SiteKind
from ashblend.core.surface.shapes import shape_of
from ashblend.core.terrain.field import HeightField
from ashblend.core.terrain.frame import TerrainMesh, terrain_mesh
from ashblend.core.terrain.sites import CORNERS, TerrainSites
from ashblend.core.terrain.taken import GridFacts
from ashblend.core.terrain.terrain import Terrain

MOST_FIRST_CELLS = 4096


@dataclass(frozen=True)
class HeightsSet:
    """A set on its way in."""

    sites: SiteKind
    document: ChannelSetDocument
    channels: tuple[Channel, ...]


@dataclass(frozen=True)
class HeightsIntake:
    """sets: splat cells first, then the heights themselves."""

    mesh: TerrainMesh
    facts: dict[str, Any]
    sets: tuple[HeightsSet, ...]


def first_cells(count: int) -> int:
    """Cells along an edge with so many heights: one between each two, in whole squares."""
    return int(min(max(-(-(count - 1) // SIDE), 1) * SIDE, MOST_FIRST_CELLS))


def grid_notes(facts: GridFacts) -> list[str]:
    """What is odd about stored heights, in sentences."""
    notes = []
    if facts.holes:
        notes.append(f"{facts.holes:,} heights are holes: no numbers.")
    if facts.steps:
        notes.append(
            f"There are only {facts.steps} different heights, as of an 8-bit picture: slopes will show them as steps."
        )
    for share, end in ((facts.clipped_low, "lowest"), (facts.clipped_high, "highest")):
        if share:
            notes.append(
                f"{share:.1%} of the ground lies at the {end} number there is: it was cut off there when it was saved."
            )
    return notes


def height_set(terrain: Terrain) -> HeightsSet:
    """The set whose paint moves the ground, over what came in."""
    field = HeightField(terrain)
    sites = TerrainSites(field, terrain.rows, terrain.cols, CORNERS)
    extent = sites.layout.extent
    under = np.zeros(extent, np.uint16)
    for tile in range(sites.layout.tiles):
        here = sites.in_tile(tile)
        cols, rows = sites.column_and_row(here)
        under[here] = field.steps_of(terrain.heights[rows, cols])
    channel = empty_channel(extent)
    channel.undercoat = under
    channel.mark_all()
    document = ChannelSetDocument(
        name="Ground", channels=(ChannelDocument(name="Height", undercoat=FileUndercoat()),)
    )
    return HeightsSet(CornerSites(rows=terrain.rows, cols=terrain.cols), document, (channel,))


def cell_set(name: str, rows: int, cols: int, terrain: Terrain) -> HeightsSet:
    """Four channels on cells, all zero, the fourth too."""
    kind = CellSites(rows=rows, cols=cols)
    extent = kind.sites(shape_of(terrain_mesh(terrain))).layout.extent
    names = tuple(ChannelDocument(name=f"Channel {letter}") for letter in CHANNEL_LETTERS)
    return HeightsSet(
        kind,
        ChannelSetDocument(name=name, channels=names),
        tuple(empty_channel(extent) for _ in CHANNEL_LETTERS),
    )


def painted_cells(read: ReadSet, terrain: Terrain) -> HeightsSet:
    """A set whose cells hold what came along as paint."""
    rows, cols = read.steps.shape[:2]
    entry = cell_set(read.name, rows, cols, terrain)
    sites = entry.sites.sites(shape_of(terrain_mesh(terrain)))
    assert isinstance(sites, TerrainSites)
    held = []
    for number in range(len(read.channels)):
        weights = read.weights(number)
        values = np.zeros(sites.layout.extent, np.float32)
        for tile in range(sites.layout.tiles):
            here = sites.in_tile(tile)
            at = sites.column_and_row(here)
            values[here] = weights[at[1], at[0]]
        held.append(channel_of_values(values))
    document = ChannelSetDocument(
        name=read.name, channels=tuple(ChannelDocument(name=n) for n in read.channels)
    )
    return HeightsSet(entry.sites, document, tuple(held))


def take_in_heights(
    terrain: Terrain,
    notes: list[str],
    painted: Sequence[ReadSet] = (),
    came: tuple[float, float] | None = None,
) -> HeightsIntake:
    """A terrain with the splat sets that came along, or with an empty one. came: metres that the least and the greatest
    whole number of its file meant, so that it can go out by the same; None of floats.
    """
    mesh = terrain_mesh(terrain)
    facts = {**shape_of(mesh).facts(), "colour_sets": 0, "notes": notes, "all_white": []}
    if came is not None:
        facts["came_range"] = list(came)
    cells = [painted_cells(read, terrain) for read in painted]
    if not cells:
        cells = [cell_set("Splat 1", first_cells(terrain.rows), first_cells(terrain.cols), terrain)]
    return HeightsIntake(mesh, facts, (*cells, height_set(terrain)))
