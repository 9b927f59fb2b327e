"""How a layer's border runs: even, by heights, or by noise where a material has no relief."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field, FiniteFloat

from ashblend.core.blend.interlock import interlock
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.noise import noise_over
from ashblend.core.tree.node import Constant, Node

BorderStyle = Literal["plain", "interlock", "noise"]


class Bordered(BaseModel):
    """What a layer with a border has.

    border: "plain" mixes as the mask says; "interlock" lets the heights of the layer and of what is under it decide;
    "noise" does so against noise. bite: how strongly; negative fills low places first. softness: width of the border
    in mask units. grain: metres that the noise's features measure.
    """

    border: BorderStyle = "interlock"
    bite: Annotated[FiniteFloat, Field(ge=-4, le=4)] = 1.0
    softness: Annotated[FiniteFloat, Field(ge=0.005, le=10)] = 0.15
    grain: Annotated[FiniteFloat, Field(ge=0.001, le=1e4)] = 0.1


def bordered(layer: Bordered, path: str, at: Lowering, mask: Node, height: Node, below: Node) -> Node:
    """Weight of a layer from its mask and the heights of it and of what is under it."""
    if layer.border == "plain":
        return mask
    if layer.border == "noise":
        # From −1 to 1, as far as two heights can be apart.
        height = noise_over(at, path, seed=5, octaves=3, scale="grain") * 2.0
        below = Constant(1.0)
    return interlock(mask, height, below, at.number(f"{path}/bite"), at.number(f"{path}/softness"))
