"""The blend of an open surface, compiled, with what the reference back end reads."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any
from uuid import UUID

from ashblend.core.arrays import F64
from ashblend.core.blend.compile import BlendTree
from ashblend.core.blend.names import Names
from ashblend.core.blend.shares import LayerShares, layer_shares, share_outputs
from ashblend.core.materials.packing import PackedTexels
from ashblend.core.sites.patch import Places
from ashblend.core.surface.at_places import AtPlaces
from ashblend.core.surface.convert import Sets
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape
from ashblend.core.tree.pack import PackName


@dataclass(frozen=True)
class BlendState:
    """document: plain JSON. textures: packed texels of each slot, as large as the picture has them."""

    id: UUID
    revision: int
    document: dict[str, Any]
    tree: BlendTree
    textures: dict[PackName, list[PackedTexels]]
    names_of_sets: Names

    @cached_property
    def names(self) -> list[str]:
        """Of the ground and each visible layer, in the tree's order."""
        layers = self.document["layers"]
        return [self.document["ground"]["name"] if n < 0 else layers[n]["name"] for n in self.tree.layers]

    def colours(self, shape: Shape, sets: Sets, level: int, places: Places) -> F64:
        """(k, 3) linear albedo at places of a level."""
        outputs = {"albedo": self.tree.look.albedo}
        read = [shown_on(sets, self.names_of_sets.own(named), level) for named in self.tree.channel_sets]
        return AtPlaces(shape.inputs(level), outputs, self.document, self.textures, read).at(places)["albedo"]

    def shares(self, shape: Shape, sets: Sets, level: int, places: Places) -> LayerShares:
        """At places of a level."""
        read = [shown_on(sets, self.names_of_sets.own(named), level) for named in self.tree.channel_sets]
        outputs = share_outputs(self.tree)
        asked = AtPlaces(shape.inputs(level), outputs, self.document, self.textures, read)
        return layer_shares(asked.at(places))


def shown_on(sets: Sets, ident: UUID, level: int) -> OpenSet | None:
    """The set that is shown on a level for one of the surface: itself, or what follows it there."""
    found = (s for s in sets.values() if ident in (s.id, s.follows) and s.kind.shown_on(level))
    return next(found, None)
