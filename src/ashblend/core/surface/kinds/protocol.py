"""What a change of the mesh is to a channel set."""

from dataclasses import dataclass

from ashblend.core.sites.lineage import Lineage
from ashblend.core.surface.shape import Shape


@dataclass(frozen=True)
class MeshChange:
    """before, after: the shapes. lineages: from the old vertices to the new, by level.

    same_map: the UVs are the old ones, so that texels keep their place in the map. shifted: so many new UV
    sets stand before them.
    """

    before: Shape
    after: Shape
    lineages: dict[int, Lineage]
    same_map: bool = True
    shifted: int = 0
