"""What a layer kind or a term of a recipe may ask for while it is lowered to nodes.

What several of them ask for alike becomes one node: a channel set read twice, a material laid at the
same placing by two layers, which is then sampled once.
"""

import re
from collections.abc import Mapping as MappingOf
from dataclasses import dataclass, field
from uuid import UUID

from ashblend.core.materials.look import Look
from ashblend.core.materials.mapping import PROJECTIONS, Mapping, Placing
from ashblend.core.tree import Component, HostExpression, Node, Parameter, SiteInput, pointer


def name_of(path: str) -> str:
    """A name for what stands at a JSON pointer: letters, digits and underscores."""
    return re.sub(r"\W+", "_", path).strip("_")


@dataclass
class Lowering:
    """materials: pointer of the first use of each material, by slot. channel_sets: in order of use.

    alike: pointers of the mappings that share a placing, the first of them being read.
    streams: what else the surface offers at a place, by name with widths; a term may read those.
    """

    materials: dict[UUID, str] = field(default_factory=dict)
    channel_sets: list[UUID] = field(default_factory=list)
    placings: dict[Mapping, Placing] = field(default_factory=dict)
    alike: dict[Mapping, list[str]] = field(default_factory=dict)
    streams: MappingOf[str, int] = field(default_factory=dict)

    def number(self, path: str, value: HostExpression | None = None) -> Node:
        """The number at a JSON pointer, or one that is worked out from there by the host."""
        if value is None:
            return Parameter(name_of(path), (pointer(path),))
        return Parameter(name_of(path), (value,))

    def channel(self, channel_set: UUID, channel: int) -> Node:
        """The weight that a channel holds at the place."""
        if channel_set not in self.channel_sets:
            self.channel_sets.append(channel_set)
        return Component(SiteInput(f"weights{self.channel_sets.index(channel_set)}", 4), "xyzw"[channel])

    def stream(self, name: str, width: int) -> Node:
        """Something that the surface offers by name."""
        return SiteInput(name, width)

    def material(self, material: UUID, mapping: Mapping, path: str) -> Look:
        """A material laid on the surface. path: of what has both as "material" and "mapping"."""
        slot = self._slot(material, f"{path}/material")
        self.alike.setdefault(mapping, []).append(f"{path}/mapping")
        placing = self.placings.get(mapping)
        if placing is None:
            placing = self.placings[mapping] = Placing(name_of(path), f"{path}/mapping")
        return PROJECTIONS[mapping.projection](slot, placing)

    def _slot(self, material: UUID, path: str) -> int:
        self.materials.setdefault(material, path)
        return list(self.materials).index(material)
