"""What lenses show besides the shaded result: one number at every place, by the same tree.

Slopes and heights are shown in bands, whose edges are contour lines.
"""

import math
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from ashblend.core.blend.compile import BlendTree, compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.materials.spot import Spot
from ashblend.core.recipe.document import Recipe
from ashblend.core.recipe.lower import lower_recipe, lower_term
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.tree.node import Component, Constant, Node, SiteInput
from ashblend.core.tree.operations import clamp, operation

# Width of the bands that slopes are shown in, and where they end: degrees.
SLOPE_BAND, STEEPEST = 10, 90
# How many bands a surface's height is cut into, about.
HEIGHT_BANDS = 12


class LayerLens(BaseModel):
    """A layer's mask, its weight behind its border, or its share; or one term of its mask alone."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["mask", "weight", "share", "term"]
    layer: Annotated[str, Field(max_length=40)]
    term: Annotated[int, Field(ge=0, le=63)] = 0


class RecipeLens(BaseModel):
    """A recipe that is no layer's, or one term of it alone."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["recipe"]
    recipe: Recipe
    term: Annotated[int, Field(ge=0, le=63)] | None = None


class ShapeLens(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["slope", "height"]


class SetLens(BaseModel):
    """How far the weights of a set, added up, go beyond what they cover when they are mixed in order.

    Where it is nothing, an engine that adds weighted layers up shows what the blend shows.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["overlap"]
    channel_set: UUID
    channels: Annotated[int, Field(ge=1, le=4)] = 4


AnyLens = Annotated[LayerLens | RecipeLens | ShapeLens | SetLens, Field(discriminator="kind")]


@dataclass(frozen=True)
class LensTree:
    """value: 0..1 at a place. low, high: what its ends stand for, in a unit. band: width of a band, 0 for none.

    document: plain JSON that parameters point into; None for the blend's own. slots to alike: as of
    `BlendTree`.
    """

    value: Node
    low: float
    high: float
    unit: str
    band: float
    document: dict[str, Any] | None
    slots: tuple[str, ...] = ()
    pictures: tuple[str, ...] = ()
    channel_sets: tuple[Any, ...] = ()
    alike: tuple[tuple[str, ...], ...] = ()


def _of_lowering(value: Node, at: Lowering, document: dict[str, Any] | None) -> LensTree:
    if at.measures:
        raise ValueError(f"{at.measures[0].title} is measured once, not at every pixel: look at the channel.")
    alike = tuple(tuple(paths) for paths in at.alike.values() if len(paths) > 1)
    return LensTree(
        value,
        0.0,
        1.0,
        "",
        0.0,
        document,
        tuple(at.materials.values()),
        tuple(at.pictures.values()),
        tuple(at.channel_sets),
        alike,
    )


def _term(recipe: Recipe, number: int, path: str, at: Lowering) -> Node:
    """Raises ValueError without such a term."""
    if number >= len(recipe.terms):
        raise ValueError("There is no such term any more.")
    return lower_term(recipe.terms[number], f"{path}/terms/{number}", at)


def _layer_lens(lens: LayerLens, document: BlendDocument, faulty: Collection[str]) -> LensTree:
    number = next((n for n, layer in enumerate(document.layers) if layer.id == lens.layer), None)
    if number is None:
        raise ValueError("There is no such layer any more.")
    if lens.kind == "term":
        at = Lowering()
        value = _term(document.layers[number].mask, lens.term, f"/layers/{number}/mask", at)
        return _of_lowering(clamp(value, 0, 1), at, None)
    tree: BlendTree = compile_blend(document, faulty=faulty)
    if number not in tree.layers and lens.kind == "mask":
        # A mask may be worked on before its layer is shown.
        tree = compile_blend(document, only=lens.layer, faulty=faulty)
    if number not in tree.layers:
        # It is hidden: nothing of it is anywhere.
        return LensTree(Constant(0.0), 0.0, 1.0, "", 0.0, None)
    at_place = tree.layers.index(number)
    shown: Mapping[str, tuple[Node, ...]] = {"mask": tree.masks, "weight": tree.weights, "share": tree.shares}
    value = shown[lens.kind][at_place]
    return LensTree(value, 0.0, 1.0, "", 0.0, None, tree.slots, tree.pictures, tree.channel_sets, tree.alike)


def _overlap(lens: SetLens) -> LensTree:
    at = Lowering()
    weights = at.channels(lens.channel_set)
    total: Node = Constant(0.0)
    left: Node = Constant(1.0)
    for letter in "xyzw"[: lens.channels]:
        weight = Component(weights, letter)
        total, left = total + weight, left * (1.0 - weight)
    return _of_lowering(clamp(total - (1.0 - left), 0, 1), at, {})


def _slope(_: float, __: float, ___: float) -> LensTree:
    level = Component(SiteInput("normal", 3), "y")
    value: Node = Constant(0.0)
    count = STEEPEST // SLOPE_BAND
    for number in range(1, count):
        edge = math.cos(math.radians(number * SLOPE_BAND))
        value = value + operation("less", level, edge) * (1 / (count - 1))
    return LensTree(value, 0.0, STEEPEST, "°", SLOPE_BAND, {})


def _round_step(length: float) -> float:
    """1, 2 or 5 times a power of ten that is near a length."""
    power = 10 ** math.floor(math.log10(length))
    return min((1, 2, 5, 10), key=lambda n: abs(math.log(n * power / length))) * power


def _height(low: float, high: float, origin: float) -> LensTree:
    band = _round_step(max(high - low, 1e-6) / HEIGHT_BANDS)
    first, last = math.floor(low / band), math.ceil(high / band)
    above = Component(Spot().position, "y") - (first * band - origin)
    number = operation("floor", above / band)
    value = clamp(number / max(1, last - first - 1), 0, 1)
    return LensTree(value, first * band, last * band, "m", band, {})


SHAPES: dict[str, Callable[[float, float, float], LensTree]] = {"slope": _slope, "height": _height}


def lens_tree(
    lens: LayerLens | RecipeLens | ShapeLens | SetLens,
    document: BlendDocument,
    faulty: Collection[str],
    low: float,
    high: float,
    origin: float,
) -> LensTree:
    """low, high: of the surface, in metres; origin: the height that its places are counted from.

    Raises ValueError where what is asked for is not there.
    """
    match lens:
        case LayerLens():
            return _layer_lens(lens, document, faulty)
        case RecipeLens():
            at = Lowering()
            if lens.term is None:
                value = lower_recipe(lens.recipe, "/recipe", at)
            else:
                value = _term(lens.recipe, lens.term, "/recipe", at)
            return _of_lowering(clamp(value, 0, 1), at, {"recipe": lens.recipe.model_dump(mode="json")})
        case SetLens():
            return _overlap(lens)
        case ShapeLens():
            return SHAPES[lens.kind](low, high, origin)
