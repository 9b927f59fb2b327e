"""The blend document: what the artist has decided."""

from itertools import groupby
from typing import Annotated, ClassVar, Self
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, model_validator

from ashblend.core.blend.drive import Drive
from ashblend.core.blend.layers.protocol import Ident, Name, Unit
from ashblend.core.blend.layers.registry import Layer
from ashblend.core.materials.finish import FINISH, THIN, Finish, LinearColour
from ashblend.core.materials.mapping import TileMapping
from ashblend.core.setting import Setting, colour, share

MOST_LAYERS = 16
MOST_DRIVES = 8


class Ground(BaseModel):
    """The lowest material, always fully there; or, without one, a colour (linear) and a roughness."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    # What can be set of its look: of a material, and of none.
    look: ClassVar[tuple[Setting, ...]] = FINISH
    bare: ClassVar[tuple[Setting, ...]] = (
        colour("colour", "Colour", "Of the ground, which has no material"),
        share("roughness", "Roughness", "Of the ground"),
        THIN,
    )

    name: Name = "Ground"
    material: UUID | None
    mapping: TileMapping = TileMapping()
    finish: Finish = Finish()
    colour: LinearColour = (0.5, 0.5, 0.5)
    roughness: Unit = 0.8


class LayerGroup(BaseModel):
    """Layers that belong together, one on the other; hidden as one."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: Ident
    name: Name
    visible: bool = True


class BlendDocument(BaseModel):
    """Ground and layers, lowest first, what is driven by itself, and which layers belong together."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name = "Blend"
    ground: Ground
    layers: Annotated[tuple[Layer, ...], Field(max_length=MOST_LAYERS)] = ()
    drives: Annotated[tuple[Drive, ...], Field(max_length=MOST_DRIVES)] = ()
    groups: Annotated[tuple[LayerGroup, ...], Field(max_length=MOST_LAYERS)] = ()

    @model_validator(mode="after")
    def _distinct_ids(self) -> Self:
        ids = [layer.id for layer in self.layers]
        if len(set(ids)) != len(ids):
            raise ValueError("two layers have the same id")
        return self

    @model_validator(mode="after")
    def _groups_hold_together(self) -> Self:
        known = [group.id for group in self.groups]
        if len(set(known)) != len(known):
            raise ValueError("two groups have the same id")
        if any(layer.group not in (None, *known) for layer in self.layers):
            raise ValueError("a layer is in a group that is not there")
        runs = [group for group, _ in groupby(layer.group for layer in self.layers) if group is not None]
        if len(set(runs)) != len(runs):
            raise ValueError("the layers of a group do not lie one on the other")
        return self

    def shown(self, layer: Layer) -> bool:
        """Whether neither the layer nor its group is hidden."""
        return layer.visible and all(group.visible for group in self.groups if group.id == layer.group)
