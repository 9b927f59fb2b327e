"""From one state of a surface to another, when its mesh changes."""

from dataclasses import replace
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32, U32
from ashblend.core.channels.channel import channel_of_values
from ashblend.core.prepare.sides import with_sides
from ashblend.core.sites.closest import ClosestTree, unit_normals
from ashblend.core.sites.lineage import Lineage, Mixed
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.kinds.protocol import MeshChange
from ashblend.core.surface.levels import level_carries
from ashblend.core.surface.shape import LevelState, Shape
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.state import SetState, SurfaceState

FACING_LIMIT = 60.0


def _sides_on(mesh: Mesh, level: Mesh) -> U32:
    """(m,) for each triangle of a level the side of the mesh's triangle nearest to it."""
    if mesh.sides is None:
        return np.zeros(level.triangles.shape[0], np.uint32)
    triangles = level.triangles.astype(np.int32)
    middles = level.positions[triangles].astype(np.float64).mean(axis=1)
    tree = ClosestTree(mesh.positions, mesh.triangles)
    hits = tree.closest(middles, unit_normals(level.positions, triangles), FACING_LIMIT)
    lost = hits.faces < 0
    if lost.any():
        hits.faces[lost] = tree.closest(middles[lost]).faces
    return mesh.sides[hits.faces]


def _hardened(mesh: Mesh, levels: tuple[LevelState, ...]) -> tuple[list[Mesh], dict[int, Lineage]]:
    """The levels with the mesh's hard borders, and how their vertices come from the ones before."""
    meshes, lineages = [], {}
    for number, level in enumerate(levels, 1):
        parted = with_sides(level.mesh, _sides_on(mesh, level.mesh))
        meshes.append(parted.mesh)
        lineages[number] = parted.lineage
    return meshes, lineages


def on_changed_mesh(
    state: SurfaceState,
    mesh: Mesh,
    lineage: Lineage,
    carries: tuple[Mixed, ...] | None = None,
    *,
    same_map: bool = True,
    shifted: int = 0,
    borders: bool = False,
    replaced: bool = False,
    prepared: Shape | None = None,
) -> SurfaceState:
    """The state with another mesh as level 0, and everything painted moved to it.

    carries: for each lower level where it then finds its paint, or None to work that out here.
    same_map, shifted: see `MeshChange`. borders: hard borders have
    changed, and the levels follow. replaced: it is another version, of which the levels were not made. prepared: a shape of the new mesh with sites worked out before.
    """
    lineages: dict[int, Lineage] = {0: lineage}
    levels = [level.mesh for level in state.levels]
    if borders and levels:
        levels, of_levels = _hardened(mesh, state.levels)
        lineages |= of_levels
    if carries is None:
        carries = level_carries(mesh, tuple(levels))
    after = tuple(
        replace(old, mesh=level, carry=carry, old=old.old or replaced)
        for old, level, carry in zip(state.levels, levels, carries, strict=True)
    )
    new = shape_of(mesh, after).taking_over(prepared)
    change = MeshChange(shape_of(state.mesh, state.levels), new, lineages, same_map, shifted)
    sets = []
    for entry in state.sets:
        kind = entry.sites.after(change)
        channels = entry.sites.moved(entry.channels, change, kind)
        if channels is not None:
            sets.append(replace(entry, sites=kind, channels=channels))
    return SurfaceState(mesh, after, tuple(sets))


def painted_with(state: SurfaceState, channel_set: UUID, channel: int, weights: F32) -> SurfaceState:
    """The state with one channel painted fully toward weights (extent,)."""
    fresh = channel_of_values(weights)

    def with_paint(entry: SetState) -> SetState:
        if entry.id != channel_set:
            return entry
        held = list(entry.channels)
        held[channel] = replace(held[channel], cover=fresh.cover, paint=fresh.paint, dirty=set())
        return replace(entry, channels=tuple(held))

    return replace(state, sets=tuple(with_paint(entry) for entry in state.sets))
