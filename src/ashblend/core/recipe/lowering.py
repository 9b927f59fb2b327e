"""What a layer kind or a term of a recipe may ask for while it is lowered to nodes.

What several of them ask for alike becomes one node: a channel set read twice, a material laid at the
same tiling by two layers, which is then sampled once.
"""

import re
from dataclasses import dataclass, field, replace
from uuid import UUID

from ashblend.core.materials.finish import Finish, finished, normal_strength
from ashblend.core.materials.look import Look
from ashblend.core.materials.mapping import TileMapping, Tiling
from ashblend.core.materials.projections import PROJECTIONS
from ashblend.core.materials.spot import Spot
from ashblend.core.survey.protocol import MeasureDocument
from ashblend.core.tree.host import HostExpression, pointer
from ashblend.core.tree.node import Component, Node, Parameter, SiteInput, TextureSample

AS_IT_IS = Finish()
AT_HAND = Spot()


def name_of(path: str) -> str:
    """A name for what stands at a JSON pointer: letters, digits and underscores."""
    return re.sub(r"\W+", "_", path).strip("_")


@dataclass(frozen=True)
class Lowering:
    """materials, pictures: pointer of the first use of each, by slot. channel_sets: in order of use.

    alike: pointers of the mappings that share a tiling, the first of them being read. spot: the place that is
    asked about.
    """

    materials: dict[UUID, str] = field(default_factory=dict)
    pictures: dict[UUID, str] = field(default_factory=dict)
    channel_sets: list[UUID] = field(default_factory=list)
    measures: list[MeasureDocument] = field(default_factory=list)
    tilings: dict[TileMapping, Tiling] = field(default_factory=dict)
    alike: dict[TileMapping, list[str]] = field(default_factory=dict)
    spot: Spot = AT_HAND

    def moved_by(self, metres: Node) -> "Lowering":
        """The same, asked about a place that lies (3) metres away."""
        return replace(self, spot=Spot(metres))

    def number(self, path: str, value: HostExpression | None = None) -> Node:
        """The number at a JSON pointer, or one that is worked out from there by the host."""
        if value is None:
            return Parameter(name_of(path), (pointer(path),))
        return Parameter(name_of(path), (value,))

    def channel(self, channel_set: UUID, channel: int) -> Node:
        """The weight that a channel holds at the place."""
        return Component(self.channels(channel_set), "xyzw"[channel])

    def channels(self, channel_set: UUID) -> Node:
        """(4) the weights that a set holds at the place."""
        if channel_set not in self.channel_sets:
            self.channel_sets.append(channel_set)
        return SiteInput(f"weights{self.channel_sets.index(channel_set)}", 4)

    def measured(self, measure: MeasureDocument) -> Node:
        """What a measure of the surface is worth at the place, in its own unit."""
        if measure not in self.measures:
            self.measures.append(measure)
        return SiteInput(f"measure{self.measures.index(measure)}", 1)

    def stream(self, name: str, width: int) -> Node:
        """Something that the surface offers by name."""
        return self.spot.position if name == "position" else SiteInput(name, width)

    def picture(self, picture: UUID, uv: int, path: str) -> Node:
        """How light a picture is where a UV set lays it. path: of the picture's id."""
        slot = _slot(self.pictures, picture, path)
        return Component(TextureSample("picture", slot, self.spot.on_map(uv)), "x")

    def material(self, material: UUID, mapping: TileMapping, path: str, finish: Finish = AS_IT_IS) -> Look:
        """A material laid on the surface. path: of what has "material", "mapping" and, if it is given, "finish"."""
        slot = _slot(self.materials, material, f"{path}/material")
        self.alike.setdefault(mapping, []).append(f"{path}/mapping")
        tiling = self.tilings.get(mapping)
        if tiling is None:
            tiling = self.tilings[mapping] = Tiling(name_of(path), f"{path}/mapping")
        name = name_of(f"{path}/finish")
        strength = normal_strength(finish, name, f"{path}/finish")
        look = PROJECTIONS[mapping.projection](slot, mapping, tiling, self.spot, strength)
        return finished(look, finish, name, f"{path}/finish")


def _slot(known: dict[UUID, str], wanted: UUID, path: str) -> int:
    known.setdefault(wanted, path)
    return list(known).index(wanted)
