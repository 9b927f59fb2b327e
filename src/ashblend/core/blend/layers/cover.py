"""Cover: replaces what is under it."""

from typing import ClassVar, Literal
from uuid import UUID

from ashblend.core.blend.border import Bordered, bordered
from ashblend.core.blend.layers.protocol import Laid, LayerDocument
from ashblend.core.materials.finish import FINISH, Finish
from ashblend.core.materials.look import Look
from ashblend.core.materials.mapping import TileMapping
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.setting import Setting
from ashblend.core.tree.operations import mix, normalize


class CoverLayer(LayerDocument, Bordered):
    """A layer that replaces what is under it, as far as its mask goes."""

    title: ClassVar[str] = "Cover"
    about: ClassVar[str] = "Replaces what is under it: moss, sand, snow"

    look: ClassVar[tuple[Setting, ...]] = FINISH

    kind: Literal["cover"] = "cover"
    material: UUID
    mapping: TileMapping = TileMapping()
    finish: Finish = Finish()


def lower_cover(layer: CoverLayer, path: str, at: Lowering, below: Look) -> Laid:
    """Everything mixed by the weight; normals mixed and made unit again."""
    own = at.material(layer.material, layer.mapping, path, layer.finish)
    mask = lower_recipe(layer.mask, f"{path}/mask", at)
    weight = at.number(f"{path}/opacity") * bordered(layer, path, at, mask, own.height, below.height)
    look = Look(
        albedo=mix(below.albedo, own.albedo, weight),
        normal=normalize(mix(below.normal, own.normal, weight)),
        roughness=mix(below.roughness, own.roughness, weight),
        metallic=mix(below.metallic, own.metallic, weight),
        occlusion=mix(below.occlusion, own.occlusion, weight),
        height=mix(below.height, own.height, weight),
        emission=mix(below.emission, own.emission, weight),
        thin=mix(below.thin, own.thin, weight),
        sink=mix(below.sink, own.sink, weight),
    )
    return Laid(look, mask, weight)
