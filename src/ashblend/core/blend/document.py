"""The blend document: what the artist has decided."""

from typing import Annotated, Self
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, model_validator

from ashblend.core.blend.drive import Drive
from ashblend.core.blend.layers import Layer
from ashblend.core.blend.layers.protocol import Name, Unit
from ashblend.core.materials.finish import Finish, LinearColour
from ashblend.core.materials.mapping import Mapping

MOST_LAYERS = 16
MOST_DRIVES = 8


class Ground(BaseModel):
    """The lowest material, always fully there; or, without one, a colour (linear) and a roughness."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name = "Ground"
    material: UUID | None
    mapping: Mapping = Mapping()
    finish: Finish = Finish()
    colour: LinearColour = (0.5, 0.5, 0.5)
    roughness: Unit = 0.8


class BlendDocument(BaseModel):
    """Ground and layers, lowest first, and what is driven by itself."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name = "Blend"
    ground: Ground
    layers: Annotated[tuple[Layer, ...], Field(max_length=MOST_LAYERS)] = ()
    drives: Annotated[tuple[Drive, ...], Field(max_length=MOST_DRIVES)] = ()

    @model_validator(mode="after")
    def _distinct_ids(self) -> Self:
        ids = [layer.id for layer in self.layers]
        if len(set(ids)) != len(ids):
            raise ValueError("two layers have the same id")
        return self
