"""Drives: a recipe that moves one property alone of what the layers come to."""

from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.blend.layers.protocol import Name
from ashblend.core.materials.finish import LinearColour, colour_at
from ashblend.core.materials.look import Look
from ashblend.core.materials.spot import NORMAL
from ashblend.core.recipe.document import Recipe
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering, name_of
from ashblend.core.tree.node import Node
from ashblend.core.tree.operations import mix, normalize

Property = Literal["roughness", "metallic", "occlusion", "emission", "normal"]


class Drive(BaseModel):
    """As far as `by` goes, the property is moved toward a value.

    toward: of roughness, metallic and occlusion. colour: of emission, linear. Normals are moved toward flat.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name = "Drive"
    on: bool = True
    moves: Property = "roughness"
    by: Recipe
    toward: Annotated[FiniteFloat, Field(ge=0, le=1)] = 0.0
    colour: LinearColour = (1.0, 0.8, 0.5)


def _value(key: str) -> Callable[[str, Lowering], Node]:
    return lambda path, at: at.number(f"{path}/{key}")


TARGETS: dict[str, Callable[[str, Lowering], Node]] = {
    "roughness": _value("toward"),
    "metallic": _value("toward"),
    "occlusion": _value("toward"),
    "emission": lambda path, _: colour_at(name_of(f"{path}/colour"), f"{path}/colour"),
    "normal": lambda _, __: NORMAL,
}


def driven(look: Look, drive: Drive, path: str, at: Lowering) -> Look:
    """The look with one property moved."""
    weight = lower_recipe(drive.by, f"{path}/by", at)
    moved = mix(getattr(look, drive.moves), TARGETS[drive.moves](path, at), weight)
    return look.having(**{drive.moves: normalize(moved) if drive.moves == "normal" else moved})
