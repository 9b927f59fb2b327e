"""Splat maps of an open surface as they would go out, and how they look."""

import numpy as np

from ashblend.core.channels.channel import Channel
from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.terrain_package import PackageChoice, PackedSet, set_steps
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.terrain.sites import TerrainSites
from ashblend.session.outcome import AnyChange, Change
from ashblend.session.surface import OpenSurface


def cell_sets(surface: OpenSurface) -> list[OpenSet]:
    """Sets that go out as splat maps."""
    return [s for s in surface.sets.values() if "raw" in s.kind.files and isinstance(s.sites, TerrainSites)]


def packed_sets(surface: OpenSurface) -> list[PackedSet]:
    """The same as they are now, copied."""
    out = []
    for found in cell_sets(surface):
        assert isinstance(found.sites, TerrainSites)
        out.append(PackedSet(found.document, found.sites, found.state().channels))
    return out


def preview(surface: OpenSurface, choice: PackageChoice) -> list[AnyChange]:
    """What splat maps would hold. Raises Refusal."""
    surface.require_quiet()
    try:
        every = set_steps(packed_sets(surface), choice)
    except ValueError as error:
        raise Refusal(str(error), "Choose other settings.") from error
    changes: list[AnyChange] = []
    for found, steps in zip(cell_sets(surface), every, strict=True):
        assert isinstance(found.sites, TerrainSites)
        trial = []
        for number in range(len(found.channels)):
            values = np.zeros(found.sites.layout.extent, np.uint16)
            if number < choice.channels:
                for tile in range(found.sites.layout.tiles):
                    here = found.sites.in_tile(tile)
                    cols, rows = found.sites.column_and_row(here)
                    values[here] = np.rint(steps[rows, cols, number] * (FULL / ((1 << choice.bits) - 1)))
            trial.append(Channel(np.full(values.shape[0], FULL, np.uint16), values))
        shown = OpenSet(found.id, found.kind, found.document, found.revision, trial, found.sites)
        changes.append(Change(surface.number_of(found.id), shown, range(len(trial))))
    return changes
