"""Tint: changes only the colour."""

import itertools
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, field_validator

from ashblend.core.blend.layers.protocol import Laid, LayerDocument, Unit
from ashblend.core.materials.finish import LinearColour, colour_at
from ashblend.core.materials.look import NOTHING, Look
from ashblend.core.recipe.document import Recipe
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering, name_of
from ashblend.core.setting import Setting
from ashblend.core.tree.node import Component, Lookup, Node, Table
from ashblend.core.tree.operations import mix


class OneColour(BaseModel):
    """The same everywhere. colour: linear."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["colour"] = "colour"
    colour: LinearColour = (0.5, 0.5, 0.5)


class GradientColour(BaseModel):
    """Colours along a recipe. stops: (place, r, g, b), places from 0 to 1 ascending, linear colours."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["gradient"] = "gradient"
    along: Recipe
    stops: Annotated[tuple[tuple[Unit, Unit, Unit, Unit], ...], Field(min_length=2, max_length=8)] = (
        (0.0, 0.1, 0.1, 0.1),
        (1.0, 0.6, 0.6, 0.6),
    )

    @field_validator("stops")
    @classmethod
    def _ascending(cls, stops: tuple[tuple[float, ...], ...]) -> tuple[tuple[float, ...], ...]:
        if any(b[0] <= a[0] for a, b in itertools.pairwise(stops)):
            raise ValueError("the stops of a gradient must lie apart, from 0 to 1")
        return stops


class ChannelColour(BaseModel):
    """R, G and B of a channel set as a linear colour, as vertex colours are."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["channels"] = "channels"
    channel_set: UUID


COLOURINGS: dict[str, type[BaseModel]] = {
    "colour": OneColour,
    "gradient": GradientColour,
    "channels": ChannelColour,
}
Colouring = Annotated[OneColour | GradientColour | ChannelColour, Field(discriminator="kind")]


class TintLayer(LayerDocument):
    """how: the colour takes the place of what is there, or multiplies it. lightness: times the colour."""

    title: ClassVar[str] = "Tint"
    about: ClassVar[str] = "Changes only colour"

    # Rust: nothing that a surface is made of by itself.
    first: ClassVar[Mapping[str, Any]] = {"colouring": OneColour(colour=(0.36, 0.11, 0.035))}

    look: ClassVar[tuple[Setting, ...]] = (
        Setting(key="colouring", title="Colours by", about="What it colours with", pick="colouring"),
        Setting(key="lightness", title="Lightness", about="Times the colour", high=4),
    )
    hides: ClassVar[bool] = False

    kind: Literal["tint"] = "tint"
    colouring: Colouring = OneColour()
    how: Literal["replace", "multiply"] = "replace"
    lightness: Annotated[FiniteFloat, Field(ge=0, le=4)] = 1.0


def _colour(colouring: Colouring, path: str, at: Lowering) -> Node:
    match colouring:
        case OneColour():
            return colour_at(name_of(f"{path}/colour"), f"{path}/colour")
        case GradientColour():
            along = lower_recipe(colouring.along, f"{path}/along", at)
            return Lookup(Table(name_of(f"{path}/stops"), f"{path}/stops", "gradient", 3), along)
        case ChannelColour():
            return Component(at.channels(colouring.channel_set), "xyz")


def lower_tint(layer: TintLayer, path: str, at: Lowering, below: Look) -> Laid:
    """Albedo mixed toward the colour; everything else as it is."""
    mask = lower_recipe(layer.mask, f"{path}/mask", at)
    weight = at.number(f"{path}/opacity") * mask
    colour = _colour(layer.colouring, f"{path}/colouring", at)
    if layer.lightness != 1:
        colour = colour * at.number(f"{path}/lightness")
    wanted = below.albedo * colour if layer.how == "multiply" else colour
    return Laid(below.having(albedo=mix(below.albedo, wanted, weight)), mask, weight, covers=NOTHING)
