"""Random blends and places for them."""

from uuid import UUID

import numpy as np
from hypothesis import strategies as st

from ashblend.core.blend.compile import BlendTree
from ashblend.core.blend.document import BlendDocument, Ground, LayerGroup
from ashblend.core.blend.drive import Drive
from ashblend.core.blend.layers.cover import CoverLayer
from ashblend.core.blend.layers.film import FilmLayer, Ripples
from ashblend.core.blend.layers.relief import ReliefLayer
from ashblend.core.blend.layers.tint import ChannelColour, GradientColour, OneColour, TintLayer
from ashblend.core.curve import Curve
from ashblend.core.materials.finish import Finish
from ashblend.core.materials.mapping import Far, TileMapping
from ashblend.core.materials.packing import PACKS, PICTURE
from ashblend.core.recipe.document import Recipe, Term, Uneven, Warp, of_channel
from ashblend.core.recipe.sources.channel import ChannelSource
from ashblend.core.recipe.sources.constant import ConstantSource
from ashblend.core.recipe.sources.facing import FacingSource
from ashblend.core.recipe.sources.height import HeightSource
from ashblend.core.recipe.sources.material import MaterialSource
from ashblend.core.recipe.sources.noise import NoiseSource
from ashblend.core.recipe.sources.picture import PictureSource
from ashblend.core.recipe.sources.slope import SlopeSource

# Facts of a surface near the world's origin.
FACTS = {"metres_per_uv": 2.5, "origin_x": 0.0, "origin_y": 0.0, "origin_z": 0.0, "time": 1.7}

unit = st.floats(0, 1)
idents = st.integers(1, 9).map(lambda n: UUID(int=n))
sets = st.sampled_from([UUID(int=21), UUID(int=22)])
colours = st.tuples(unit, unit, unit)
mappings = st.builds(
    TileMapping,
    projection=st.sampled_from(["uv", "triplanar"]),
    metres_per_tile=st.floats(0.2, 5),
    rotation=st.floats(-180, 180),
    offset=st.tuples(st.floats(-2, 2), st.floats(-2, 2)),
)
any_mappings = st.builds(
    TileMapping,
    projection=st.sampled_from(["uv", "planar", "triplanar"]),
    axis=st.sampled_from("xyz"),
    sharpness=st.sampled_from([4.0, 1.5, 9.0]),
    metres_per_tile=st.floats(0.2, 5),
    rotation=st.floats(-180, 180),
    offset=st.tuples(st.floats(-2, 2), st.floats(-2, 2)),
    far=st.none() | st.builds(Far, times=st.floats(1.5, 6), begins=st.floats(0, 4), ends=st.floats(2, 9)),
    broken=st.booleans(),
    parallax=st.sampled_from([0.0, 0.0, 0.05]),
)
finishes = st.builds(
    Finish,
    tint=st.sampled_from([(1.0, 1.0, 1.0), (0.4, 1.5, 0.9)]),
    roughness=st.sampled_from([1.0, 0.3, 1.8]),
    normal=st.sampled_from([1.0, 0.4, 2.0]),
    height=st.sampled_from([1.0, 0.5, 1.7]),
    lift=st.sampled_from([0.0, 0.2, -0.3]),
    metallic=st.sampled_from([0.0, 0.7]),
    emission=st.sampled_from([(0.0, 0.0, 0.0), (0.2, 0.1, 3.0)]),
    thin=st.sampled_from([0.0, 0.0, 0.6]),
)
pictures = st.sampled_from([UUID(int=41), UUID(int=42)])
sources = st.one_of(
    st.builds(PictureSource, picture=pictures),
    st.builds(ConstantSource, value=unit),
    st.builds(ChannelSource, channel_set=sets, channel=st.integers(0, 3)),
    st.just(HeightSource()),
    st.just(SlopeSource()),
    st.builds(FacingSource, azimuth=st.floats(0, 360), tilt=st.floats(-90, 90)),
    st.builds(
        NoiseSource,
        form=st.sampled_from(["gradient", "ridged", "cellular"]),
        metres=st.floats(0.3, 3),
        octaves=st.integers(1, 3),
        seed=st.integers(0, 99),
        contrast=st.sampled_from([1.0, 2.5]),
    ),
    st.builds(
        MaterialSource,
        material=idents,
        mapping=mappings,
        contrast=st.sampled_from([1.0, 2.0]),
        offset=st.sampled_from([0.0, 0.1]),
    ),
)
curves = st.sampled_from(
    [None, Curve(points=((0.0, 0.1), (0.4, 0.9), (1.0, 0.3))), Curve(points=((0.2, 0.0), (0.7, 1.0)))]
)


@st.composite
def terms(draw) -> Term:
    source = draw(sources)
    # Apart enough that single precision does not turn a ramp into a step.
    low, high = draw(st.sampled_from([(0.0, 1.0), (0.8, 0.1), (0.2, 0.7)]))
    if source.unit == "°":
        low, high = draw(st.sampled_from([(20.0, 75.0), (120.0, 40.0), (0.0, 180.0)]))
    return Term(
        source=source,
        low=low,
        high=high,
        curve=draw(curves),
        invert=draw(st.booleans()),
        warp=draw(st.none() | st.builds(Warp, by=st.floats(0.01, 0.3), metres=st.floats(0.3, 2))),
        uneven=draw(st.none() | st.builds(Uneven, amount=unit, metres=st.floats(0.3, 2))),
        op=draw(st.sampled_from(["set", "multiply", "add", "subtract", "max", "min", "screen"])),
        amount=draw(st.sampled_from([1.0, 0.6, 0.0])),
        on=draw(st.sampled_from([True, True, False])),
    )


recipes = st.lists(terms(), max_size=3).map(lambda found: Recipe(terms=tuple(found)))
borders = {
    "border": st.sampled_from(["plain", "interlock", "noise"]),
    "bite": st.floats(-4, 4),
    "softness": st.floats(0.1, 2),
    "grain": st.floats(0.2, 1),
}
gradients = st.builds(
    GradientColour,
    along=recipes,
    stops=st.tuples(colours, colours, colours).map(
        lambda c: tuple((place, *colour) for place, colour in zip((0.0, 0.5, 1.0), c, strict=True))
    ),
)


def _layers_of(kind, **more):
    return st.builds(
        kind, visible=st.booleans(), opacity=st.floats(0.1, 1), mask=recipes, name=st.just("L"), **more
    )


def _layers(number: int):
    named = {"id": st.just(f"l{number}")}
    laid = {"material": idents, "mapping": any_mappings, "finish": finishes, **borders}
    return st.one_of(
        _layers_of(CoverLayer, **named, **laid),
        _layers_of(ReliefLayer, **named, **laid, depth=st.floats(0, 2)),
        _layers_of(
            FilmLayer,
            **named,
            **borders,
            stands=st.floats(0, 0.9),
            level=unit,
            darken=unit,
            roughness=unit,
            flatten=unit,
            colour=colours,
            cloudy=unit,
            deepens=unit,
            ripples=st.none() | st.just(Ripples()),
            sink=st.sampled_from([0.0, 0.03]),
        ),
        _layers_of(
            TintLayer,
            **named,
            colouring=st.one_of(
                st.builds(OneColour, colour=colours), gradients, st.builds(ChannelColour, channel_set=sets)
            ),
            how=st.sampled_from(["replace", "multiply"]),
            lightness=st.sampled_from([1.0, 0.5]),
        ),
    )


drives = st.builds(
    Drive,
    on=st.booleans(),
    moves=st.sampled_from(["roughness", "metallic", "occlusion", "emission", "normal"]),
    by=recipes,
    toward=unit,
    colour=colours,
)
grounds = st.builds(
    Ground,
    material=st.none() | idents,
    mapping=any_mappings,
    finish=finishes,
    colour=colours,
    roughness=unit,
)


@st.composite
def any_blends(draw, least: int = 0, most: int = 3) -> BlendDocument:
    """Of every kind of layer, source, op, border, mapping and property."""
    layers = [draw(_layers(i)) for i in range(draw(st.integers(least, most)))]
    groups: tuple[LayerGroup, ...] = ()
    if len(layers) > 1 and draw(st.booleans()):
        first = draw(st.integers(0, len(layers) - 1))
        past = draw(st.integers(first + 1, len(layers)))
        groups = (LayerGroup(id="g", name="G", visible=draw(st.booleans())),)
        layers[first:past] = [layer.model_copy(update={"group": "g"}) for layer in layers[first:past]]
    drawn = tuple(draw(st.lists(drives, max_size=1)))
    return BlendDocument(ground=draw(grounds), layers=tuple(layers), drives=drawn, groups=groups)


@st.composite
def blend_documents(draw, least: int = 0, most: int = 4) -> BlendDocument:
    """Of painted covers."""
    layers = [
        CoverLayer(
            id=f"l{i}",
            name=f"Layer {i}",
            material=draw(idents),
            mapping=draw(mappings),
            visible=draw(st.booleans()),
            opacity=draw(st.floats(0.01, 1)),
            mask=of_channel(draw(sets), draw(st.integers(0, 3))),
            bite=draw(st.floats(-4, 4)),
            softness=draw(st.floats(0.02, 2)),
        )
        for i in range(draw(st.integers(least, most)))
    ]
    return BlendDocument(ground=Ground(material=draw(idents), mapping=draw(mappings)), layers=tuple(layers))


def softest(document: BlendDocument) -> float:
    """Width of the narrowest border: what single precision is off, it multiplies."""
    return min([getattr(layer, "softness", 1.0) for layer in document.layers], default=1.0)


def random_inputs(tree: BlendTree, count: int, seed: int) -> dict[str, np.ndarray]:
    """Places with unit normals, tangents at right angles to them, and any weights."""
    rng = np.random.default_rng(seed)
    normal = rng.standard_normal((count, 3))
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    tangent = np.cross(normal, rng.standard_normal((count, 3)))
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    hand = rng.choice([-1.0, 1.0], (count, 1))
    other = np.cross(normal, tangent)
    view = (
        normal + 0.7 * tangent * rng.uniform(-1, 1, (count, 1)) + 0.7 * other * rng.uniform(-1, 1, (count, 1))
    )
    out = {
        "position": rng.uniform(-3, 3, (count, 3)),
        "normal": normal,
        "tangent": np.concatenate([tangent, hand], axis=1),
        "uv": rng.uniform(-1, 2, (count, 2)),
        "view": view / np.linalg.norm(view, axis=1, keepdims=True),
        "away": rng.uniform(0, 12, (count, 1)),
    }
    for k in range(len(tree.channel_sets)):
        out[f"weights{k}"] = rng.uniform(0, 1, (count, 4))
    return out


EVERY_PACK = {**PACKS, "picture": PICTURE}


def slots_of(tree: BlendTree) -> int:
    """Layers that every texture array must have."""
    return max(1, len(tree.slots), len(tree.pictures))


def random_texels(slots: int, size: int, seed: int) -> dict[str, np.ndarray]:
    """uint8 texels (slots, size, size, 4) for each pack: smooth, as real maps are."""
    rng = np.random.default_rng(seed)
    angle = np.arange(size) / size * 2 * np.pi
    out = {}
    for name in EVERY_PACK:
        waves = np.zeros((slots, size, size, 4))
        for k in (1, 2, 3):
            a, b = rng.uniform(0, 6.28, (2, slots, 1, 1, 4))
            waves += (
                np.sin(k * angle[None, :, None, None] + a) * np.cos(k * angle[None, None, :, None] + b) / k
            )
        out[name] = np.rint(np.clip(0.5 + 0.3 * waves, 0, 1) * 255).astype(np.uint8)
    return out


def random_textures(slots: int, size: int, seed: int) -> dict[str, list[np.ndarray]]:
    texels = random_texels(slots, size, seed)
    return {name: [pack.decoded(t) for t in texels[name]] for name, pack in EVERY_PACK.items()}
