"""Lower levels of detail: where they find their paint, and bringing it there."""

import numpy as np

from ashblend.core.arrays import U32
from ashblend.core.prepare.carry import carry_over
from ashblend.core.progress import Progress, silent
from ashblend.core.sites.lineage import Mixed
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.surface.open_set import OpenSet


def level_carry(mesh: Mesh, level: Mesh, progress: Progress = silent) -> Mixed:
    """Where a level's vertices find their paint on the mesh; each on its own side of a hard border."""
    carried = carry_over(
        mesh,
        level.positions,
        mesh_vertices(level).normals,
        progress=progress,
        sides=level.side_of_vertex if level.sides is not None else None,
    )
    step = carried.lineage[0]
    assert isinstance(step, Mixed)
    return step


def level_carries(mesh: Mesh, levels: tuple[Mesh, ...], progress: Progress = silent) -> tuple[Mixed, ...]:
    """The same for each lower level."""
    return tuple(level_carry(mesh, level, progress) for level in levels)


def carry_down(base: OpenSet, follower: OpenSet, carry: Mixed, channel: int) -> None:
    """Bring one channel of a lower level up to date: what is carried lies under its own paint."""
    held = base.channels[channel]
    follower.channels[channel].undercoat = held.kind.mixed(held.values()[carry.sources], carry.shares)


def carry_changed(base: OpenSet, follower: OpenSet, carry: Mixed, channel: int, changed: U32) -> U32:
    """The same after sites of level 0 changed; the sites of the level that changed with them."""
    at = np.zeros(base.sites.layout.extent, bool)
    at[changed] = True
    touched = np.flatnonzero(at[carry.sources].any(axis=1)).astype(np.uint32)
    plane = follower.channels[channel].undercoat
    if isinstance(plane, float):
        carry_down(base, follower, carry, channel)
        return touched
    sources = carry.sources[touched]
    held = base.channels[channel]
    values = held.values(sources.reshape(-1))
    plane[touched] = held.kind.mixed(values.reshape(*sources.shape, *values.shape[1:]), carry.shares[touched])
    return touched
