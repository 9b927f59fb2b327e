"""The blend document: what the artist has decided."""

from typing import Annotated, Self
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, model_validator

from ashblend.core.blend.layers import Layer
from ashblend.core.blend.layers.protocol import Name
from ashblend.core.materials.mapping import Mapping

MOST_LAYERS = 16


class Ground(BaseModel):
    """The lowest material, always fully there."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name = "Ground"
    material: UUID
    mapping: Mapping = Mapping()


class BlendDocument(BaseModel):
    """Ground and layers, lowest first."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name = "Blend"
    ground: Ground
    layers: Annotated[tuple[Layer, ...], Field(max_length=MOST_LAYERS)] = ()

    @model_validator(mode="after")
    def _distinct_ids(self) -> Self:
        ids = [layer.id for layer in self.layers]
        if len(set(ids)) != len(ids):
            raise ValueError("two layers have the same id")
        return self
