"""The blend document: what the artist has decided."""

from typing import Annotated, Literal, Self
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

Name = Annotated[str, Field(min_length=1, max_length=60)]
Unit = Annotated[FiniteFloat, Field(ge=0, le=1)]
MOST_LAYERS = 16


class _Document(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Mapping(_Document):
    """How a material lies on the surface.

    projection: "uv" follows the first UV set, "triplanar" projects along the three world axes.
    metres_per_tile: edge of one tile. rotation: degrees, counter-clockwise. offset: metres.
    """

    projection: Literal["uv", "triplanar"] = "triplanar"
    metres_per_tile: Annotated[FiniteFloat, Field(ge=0.001, le=10_000)] = 1.0
    rotation: Annotated[FiniteFloat, Field(ge=-360, le=360)] = 0.0
    offset: tuple[FiniteFloat, FiniteFloat] = (0.0, 0.0)


class ChannelMask(_Document):
    """The weight that one painted channel holds."""

    kind: Literal["channel"] = "channel"
    channel_set: UUID
    channel: Annotated[int, Field(ge=0, le=3)]


class Ground(_Document):
    """The lowest material, always fully there."""

    name: Name = "Ground"
    material: UUID
    mapping: Mapping = Mapping()


class CoverLayer(_Document):
    """A layer that replaces what is under it, as far as its interlocked mask goes.

    bite: how strongly heights decide; negative fills low places first. softness: width of the
    border in mask units.
    """

    kind: Literal["cover"] = "cover"
    id: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,40}$")]
    name: Name
    material: UUID
    mapping: Mapping = Mapping()
    visible: bool = True
    opacity: Unit = 1.0
    mask: ChannelMask
    bite: Annotated[FiniteFloat, Field(ge=-4, le=4)] = 1.0
    softness: Annotated[FiniteFloat, Field(ge=0.005, le=10)] = 0.15


# A further kind of layer joins this union and the registry in `layers`.
Layer = CoverLayer


class BlendDocument(_Document):
    """Ground and layers, lowest first."""

    name: Name = "Blend"
    ground: Ground
    layers: Annotated[tuple[Layer, ...], Field(max_length=MOST_LAYERS)] = ()

    @model_validator(mode="after")
    def _distinct_ids(self) -> Self:
        ids = [layer.id for layer in self.layers]
        if len(set(ids)) != len(ids):
            raise ValueError("two layers have the same id")
        return self
