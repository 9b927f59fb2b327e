"""Film: lies on what is under it as a thin coat of water, ice or dust."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.blend.border import Bordered, bordered
from ashblend.core.blend.layers.protocol import Laid, LayerDocument, Unit
from ashblend.core.materials.finish import LinearColour, colour_at
from ashblend.core.materials.look import Look
from ashblend.core.materials.projections import bumped
from ashblend.core.materials.spot import NORMAL
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering, name_of
from ashblend.core.recipe.noise import features_over
from ashblend.core.recipe.sources.noise import Metres
from ashblend.core.setting import Setting, colour, metres, share, size
from ashblend.core.tree.host import fact
from ashblend.core.tree.node import Component, Constant, Node, Noise, Parameter
from ashblend.core.tree.operations import clamp, mix, normalize, only_where, operation, vector


class Ripples(BaseModel):
    """Small waves on what stands. metres: from crest to crest. speed: metres a second. strength: their slope."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    metres: Metres = 0.15
    speed: Annotated[FiniteFloat, Field(ge=0, le=10)] = 0.1
    strength: Annotated[FiniteFloat, Field(ge=0, le=2)] = 0.15


class FilmLayer(LayerDocument, Bordered):
    """Partial weight is damp: darker and smoother, with flatter normals. From `stands` on it stands, low places first.

    stands: the weight beyond which it stands instead of wetting. level: height up to which low places are filled.
    darken: what albedo is multiplied by where it is damp. 0.75 and a roughness of 0.05 are common practice for water.
    flatten: how far normals are flattened where it is damp. colour: linear, of what stands. cloudy: how much of that
    is seen however shallow; deepens: how much more with depth. sink: metres that the surface lies below the mesh
    where it stands.
    """

    title: ClassVar[str] = "Film"
    about: ClassVar[str] = "Lies on it as a thin coat: water, ice, dust"

    look: ClassVar[tuple[Setting, ...]] = (
        share("stands", "Pools above", "Weight of the mask beyond which it stands instead of wetting"),
        share("level", "Level", "Height up to which low places are filled"),
        share("darken", "Darkens to", "What colours are multiplied by where it is damp: 0.75 for water"),
        share("roughness", "Roughness", "Of what it wets: 0.05 for water, more for ice and dust"),
        share("flatten", "Flattens", "How far normals are flattened where it is damp"),
        share("cloudy", "Cloudy", "How much of its colour is seen however shallow: 0 water, 1 dust"),
        share("deepens", "Deepens", "How much more of its colour is seen where it is deep"),
        colour("colour", "Colour", "Of what stands"),
        metres(
            "sink", "Lowered by", "How far the surface itself lies below the mesh where it stands", 0, 0.3
        ),
        Setting(
            key="ripples",
            title="Ripples",
            about="Small waves on what stands; the button below the picture lets them move",
            control="part",
            part=Ripples().model_dump(mode="json"),
        ),
        size("ripples/metres", "Size", "From crest to crest", 0.01, 5),
        Setting(key="ripples/speed", title="Speed", about="Metres a second", high=2),
        share("ripples/strength", "Steepness", "How steep they are"),
    )

    # Wet all through and standing a little, on what is level, too.
    first: ClassVar[Mapping[str, Any]] = {"darken": 0.6, "level": 0.6}

    kind: Literal["film"] = "film"
    stands: Unit = 0.5
    level: Unit = 0.5
    darken: Unit = 0.75
    roughness: Unit = 0.05
    flatten: Unit = 0.5
    colour: LinearColour = (0.02, 0.03, 0.03)
    cloudy: Unit = 0.0
    deepens: Unit = 0.4
    ripples: Ripples | None = None
    sink: Annotated[FiniteFloat, Field(ge=-10, le=10)] = 0.0


# Where a slope is taken between: parts of a feature.
STEP = 0.08
DIRECTIONS = ((0.8, 0.6), (-0.6, 0.8))


def _rippled(path: str, at: Lowering) -> Node:
    """(3) the surface's normal with waves on it, which come from two sides and change as they go."""
    here = f"{path}/ripples"
    name = name_of(here)
    strength = at.number(f"{here}/strength")
    # Time in features: a wave has gone its own length in one.
    gone = Parameter(f"{name}_gone", (("divide", ("multiply", fact("time"), ("pointer", f"{here}/speed")), ("pointer", f"{here}/metres")),))  # fmt: skip
    # In the world, so that waves go on from one surface to the next. Their height stands for time.
    place, whole = features_over(at, here)
    whole = vector(Component(whole, "x"), 0.0, Component(whole, "z"))
    x, z = Component(place, "x"), Component(place, "z")
    slopes: list[Node] = [Constant(0.0), Constant(0.0)]
    for seed, (dx, dz) in enumerate(DIRECTIONS):
        u, v = x - gone * dx, z - gone * dz
        turning = gone * 0.5

        def height(u: Node, v: Node, turning: Node = turning, seed: int = seed) -> Node:
            return Noise(vector(u, turning, v), whole, 11 + seed, 2)

        middle = height(u, v)
        slopes[0] = slopes[0] + (height(u + STEP, v) - middle) * (1 / STEP)
        slopes[1] = slopes[1] + (height(u, v + STEP) - middle) * (1 / STEP)
    return bumped(vector(slopes[0] * strength, 0.0, slopes[1] * strength))


def lower_film(layer: FilmLayer, path: str, at: Lowering, below: Look) -> Laid:
    """Damp by the mask, standing by what of it is beyond `stands`."""
    mask = lower_recipe(layer.mask, f"{path}/mask", at)
    opacity, level = at.number(f"{path}/opacity"), at.number(f"{path}/level")
    damp = opacity * mask
    stands = at.number(f"{path}/stands")
    much = clamp((mask - stands) / operation("max", 1.0 - stands, 1e-4), 0, 1)
    standing = opacity * bordered(layer, path, at, much, level, below.height)
    wet = at.number(f"{path}/roughness")
    covered = standing * clamp(
        at.number(f"{path}/cloudy")
        + at.number(f"{path}/deepens") * clamp((level - below.height) * 2.0, 0, 1),
        0,
        1,
    )
    darkened = below.albedo * mix(1.0, at.number(f"{path}/darken"), damp)
    surface: Node = NORMAL
    if layer.ripples is not None:
        surface = only_where(f"{path}/ripples", much, _rippled(path, at), NORMAL)
    flattened = mix(below.normal, NORMAL, damp * at.number(f"{path}/flatten"))
    changes: dict[str, Node] = {}
    if layer.sink != 0:
        changes["sink"] = below.sink + standing * at.number(f"{path}/sink")
    look = below.having(
        albedo=mix(darkened, colour_at(name_of(f"{path}/colour"), f"{path}/colour"), covered),
        normal=normalize(mix(flattened, surface, standing)),
        roughness=mix(below.roughness, wet, damp),
        metallic=below.metallic * (1.0 - covered),
        occlusion=mix(below.occlusion, 1.0, standing),
        emission=below.emission * (1.0 - covered),
        thin=below.thin * (1.0 - covered),
        height=mix(below.height, clamp(level, 0, 1), standing),
        **changes,
    )
    return Laid(look, mask, damp)
