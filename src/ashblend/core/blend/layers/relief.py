"""Relief: cracks and dents, which change only normals and height."""

from typing import Annotated, ClassVar, Literal
from uuid import UUID

from pydantic import Field, FiniteFloat

from ashblend.core.blend.border import Bordered, BorderStyle, bordered
from ashblend.core.blend.layers.protocol import Laid, LayerDocument
from ashblend.core.materials.finish import SHAPE, Finish
from ashblend.core.materials.look import NOTHING, Look
from ashblend.core.materials.mapping import TileMapping
from ashblend.core.materials.spot import NORMAL
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.setting import Setting
from ashblend.core.tree.node import Node
from ashblend.core.tree.operations import clamp, dot, mix, normalize


class ReliefLayer(LayerDocument, Bordered):
    """depth: how much of the material's heights, around their middle, is added to those below."""

    title: ClassVar[str] = "Relief"
    about: ClassVar[str] = "Changes only shape: cracks, dents"

    look: ClassVar[tuple[Setting, ...]] = (
        Setting(key="depth", title="Depth", about="How much of its heights is added to those below", high=4),
        *SHAPE,
    )
    hides: ClassVar[bool] = False

    kind: Literal["relief"] = "relief"
    material: UUID
    mapping: TileMapping = TileMapping()
    finish: Finish = Finish()
    border: BorderStyle = "plain"
    depth: Annotated[FiniteFloat, Field(ge=0, le=4)] = 1.0


def reoriented(base: Node, detail: Node, upright: Node = NORMAL) -> Node:
    """(3) detail turned by what turns upright to base; all unit.

    Reoriented normal mapping: Barré-Brisebois and Hill (2012), "Blending in Detail", which turns about the axis
    between the two; written without a tangent frame. For base = upright it is the detail, and the other way round.
    """
    between = base + upright
    mirrored = upright * (2.0 * dot(upright, detail)) - detail
    # No detail stands at right angles to what is below it; two normals that meet head on are not known here.
    return normalize(between * (dot(between, mirrored) / dot(between, upright)) - mirrored)


def lower_relief(layer: ReliefLayer, path: str, at: Lowering, below: Look) -> Laid:
    """The material's normals laid on those below; its heights added; colour untouched."""
    own = at.material(layer.material, layer.mapping, path, layer.finish)
    mask = lower_recipe(layer.mask, f"{path}/mask", at)
    weight = at.number(f"{path}/opacity") * bordered(layer, path, at, mask, own.height, below.height)
    added = (own.height - 0.5) * (at.number(f"{path}/depth") * weight)
    look = below.having(
        normal=reoriented(below.normal, normalize(mix(NORMAL, own.normal, weight))),
        height=clamp(below.height + added, 0, 1),
    )
    return Laid(look, mask, weight, covers=NOTHING)
