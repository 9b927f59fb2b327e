"""A toy kind of layer: wet where its mask is, darker and smoother, sunk a little, and glowing blue."""

from typing import Literal

from ashblend.core.blend.layers.protocol import Laid, LayerDocument
from ashblend.core.materials.look import Look
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.tree.operations import mix, vector


class DewLayer(LayerDocument):
    kind: Literal["dew"] = "dew"
    depth: float = 0.01
    glow: float = 0.2


def lower_dew(layer: DewLayer, path: str, at: Lowering, below: Look) -> Laid:
    mask = lower_recipe(layer.mask, f"{path}/mask", at)
    weight = at.number(f"{path}/opacity") * mask
    glow = at.number(f"{path}/glow") * weight
    look = below.having(
        albedo=below.albedo * mix(1.0, 0.6, weight),
        roughness=mix(below.roughness, 0.05, weight),
        metallic=mix(below.metallic, 0.5, weight),
        emission=below.emission + vector(0.0, glow * 0.5, glow),
        sink=below.sink + weight * at.number(f"{path}/depth"),
    )
    return Laid(look, mask, weight)
