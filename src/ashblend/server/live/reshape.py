"""From one state of a surface to another, when its mesh changes."""

from dataclasses import replace
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.channels import Channel, channel_of_values
from ashblend.core.prepare.carry import FACING_LIMIT
from ashblend.core.prepare.convert import taken_over, texels_by_index, texels_by_place
from ashblend.core.prepare.lineage import Lineage, Mixed, moved_channel
from ashblend.core.prepare.progress import silent
from ashblend.core.sites import Mesh, UVTexels, mesh_vertices
from ashblend.core.sites.kinds import TexelSites
from ashblend.jobs.plans import level_carries
from ashblend.store.states import LevelState, SetState, SurfaceState


def _texels(mesh: Mesh, size: int) -> UVTexels:
    return UVTexels(mesh, mesh_vertices(mesh).normals, size)


def _moved_set(entry: SetState, old: Mesh, new: Mesh, lineage: Lineage, same_map: bool) -> SetState | None:
    if isinstance(entry.sites, TexelSites):
        if not new.uvs:
            return None
        before, after = _texels(old, entry.sites.size), _texels(new, entry.sites.size)
        sites = (
            texels_by_index(before, after) if same_map else texels_by_place(old, before, after, FACING_LIMIT)
        )
        channels = tuple(taken_over(channel, sites) for channel in entry.channels)
    elif entry.sites.level:
        return entry
    else:
        channels = tuple(moved_channel(lineage, channel) for channel in entry.channels)
    return replace(entry, channels=channels)


def on_changed_mesh(
    state: SurfaceState,
    mesh: Mesh,
    lineage: Lineage,
    carries: tuple[Mixed, ...] | None,
    same_map: bool = True,
) -> SurfaceState:
    """The state with another mesh as level 0, and everything painted moved to it.

    carries: for each lower level where it then finds its paint, or None to work that out here.
    same_map: the UVs are the old ones, so that texels keep their place in the map.
    """
    if carries is None:
        carries = level_carries(mesh, tuple(level.mesh for level in state.levels), silent)
    levels = tuple(
        LevelState(level.name, level.mesh, carry) for level, carry in zip(state.levels, carries, strict=True)
    )
    moved = [_moved_set(entry, state.mesh, mesh, lineage, same_map) for entry in state.sets]
    return SurfaceState(mesh, levels, tuple(entry for entry in moved if entry is not None))


def painted_with(state: SurfaceState, channel_set: UUID, channel: int, weights: F32) -> SurfaceState:
    """The state with one channel painted fully toward weights (sites,)."""
    fresh = channel_of_values(weights)

    def with_paint(entry: SetState) -> SetState:
        if entry.id != channel_set:
            return entry
        held = list(entry.channels)
        held[channel] = Channel(fresh.cover, fresh.paint, held[channel].undercoat)
        return replace(entry, channels=tuple(held))

    return replace(state, sets=tuple(with_paint(entry) for entry in state.sets))


def empty_channels(count: int, undercoats: list[float]) -> tuple[Channel, ...]:
    """Channels without paint."""
    return tuple(Channel(np.zeros(count, np.uint16), np.zeros(count, np.uint16), u) for u in undercoats)
