"""What an artist changes about a material in one layer. What is left as it is costs nothing."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.materials.look import Look
from ashblend.core.setting import Setting, colour, share
from ashblend.core.tree.host import pointer
from ashblend.core.tree.node import Node, Parameter
from ashblend.core.tree.operations import clamp

Part = Annotated[FiniteFloat, Field(ge=0, le=8)]
LinearColour = tuple[Part, Part, Part]
Times = Annotated[FiniteFloat, Field(ge=0, le=4)]
WHITE: LinearColour = (1.0, 1.0, 1.0)
BLACK: LinearColour = (0.0, 0.0, 0.0)


class Finish(BaseModel):
    """tint: linear colour that albedo is multiplied by. roughness, normal, height: how much of the map's is there.

    height: around its middle. lift: added to it, −1..1. metallic: 0..1. emission: linear colour. thin: 0..1, how much of the light
    on its back comes through, as through leaves.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    tint: LinearColour = WHITE
    roughness: Times = 1.0
    normal: Times = 1.0
    height: Times = 1.0
    lift: Annotated[FiniteFloat, Field(ge=-1, le=1)] = 0.0
    metallic: Annotated[FiniteFloat, Field(ge=0, le=1)] = 0.0
    emission: LinearColour = BLACK
    thin: Annotated[FiniteFloat, Field(ge=0, le=1)] = 0.0


# What can be set of a finish, for everything that has one; and what is left of it for what changes no colour.
SHAPE = (
    Setting(
        key="finish/roughness", title="Roughness", about="How much of the map's roughness is there", high=4
    ),
    Setting(key="finish/normal", title="Normals", about="How strongly its normals show", high=4),
    Setting(
        key="finish/height", title="Height", about="How far its heights spread around their middle", high=4
    ),
    Setting(key="finish/lift", title="Lift", about="Added to its heights: who stands above whom", low=-1),
)
THIN = share("finish/thin", "Thin", "How much of the light on its back comes through, as through leaves")
FINISH = (
    colour("finish/tint", "Tint", "Multiplies its colours"),
    *SHAPE,
    share("finish/metallic", "Metal", "How metallic it is"),
    colour("finish/emission", "Glow", "The light that it gives by itself; black for none"),
    THIN,
)


def colour_at(name: str, path: str) -> Node:
    """The linear colour at a JSON pointer."""
    return Parameter(name, tuple(pointer(f"{path}/{part}") for part in range(3)))


def normal_strength(finish: Finish, name: str, path: str) -> Node | None:
    """How strongly normals show; None for as they are. path: of the finish's document."""
    return None if finish.normal == 1 else Parameter(f"{name}_normal", (pointer(f"{path}/normal"),))


def finished(look: Look, finish: Finish, name: str, path: str) -> Look:
    """A material's look with all that is changed about it but its normals."""

    def number(key: str) -> Node:
        return Parameter(f"{name}_{key}", (pointer(f"{path}/{key}"),))

    changes: dict[str, Node] = {}
    if finish.tint != WHITE:
        changes["albedo"] = clamp(look.albedo * colour_at(f"{name}_tint", f"{path}/tint"), 0, 1)
    if finish.roughness != 1:
        changes["roughness"] = clamp(look.roughness * number("roughness"), 0, 1)
    height = look.height
    if finish.height != 1:
        height = 0.5 + (height - 0.5) * number("height")
    if finish.lift != 0:
        height = height + number("lift")
    if height is not look.height:
        changes["height"] = clamp(height, 0, 1)
    if finish.metallic != 0:
        changes["metallic"] = look.metallic + number("metallic")
    if finish.emission != BLACK:
        changes["emission"] = colour_at(f"{name}_emission", f"{path}/emission")
    if finish.thin != 0:
        changes["thin"] = number("thin")
    return look.having(**changes) if changes else look
