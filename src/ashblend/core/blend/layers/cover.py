"""Cover: replaces what is under it."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, FiniteFloat

from ashblend.core.blend.interlock import interlock
from ashblend.core.blend.layers.protocol import Laid, LayerDocument
from ashblend.core.blend.mask import ChannelMask
from ashblend.core.materials.look import Look
from ashblend.core.materials.mapping import Mapping
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.tree import mix, normalize


class CoverLayer(LayerDocument):
    """A layer that replaces what is under it, as far as its interlocked mask goes.

    bite: how strongly heights decide; negative fills low places first. softness: width of the
    border in mask units.
    """

    kind: Literal["cover"] = "cover"
    material: UUID
    mapping: Mapping = Mapping()
    mask: ChannelMask
    bite: Annotated[FiniteFloat, Field(ge=-4, le=4)] = 1.0
    softness: Annotated[FiniteFloat, Field(ge=0.005, le=10)] = 0.15


def lower_cover(layer: CoverLayer, path: str, at: Lowering, below: Look) -> Laid:
    """Everything mixed by the weight; normals mixed and made unit again."""
    own = at.material(layer.material, layer.mapping, path)
    locked_in = interlock(
        at.channel(layer.mask.channel_set, layer.mask.channel),
        own.height,
        below.height,
        at.number(f"{path}/bite"),
        at.number(f"{path}/softness"),
    )
    weight = at.number(f"{path}/opacity") * locked_in
    look = Look(
        albedo=mix(below.albedo, own.albedo, weight),
        normal=normalize(mix(below.normal, own.normal, weight)),
        roughness=mix(below.roughness, own.roughness, weight),
        metallic=mix(below.metallic, own.metallic, weight),
        occlusion=mix(below.occlusion, own.occlusion, weight),
        height=mix(below.height, own.height, weight),
        emission=mix(below.emission, own.emission, weight),
        sink=mix(below.sink, own.sink, weight),
    )
    return Laid(look, weight)
