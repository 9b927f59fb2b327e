"""The sample's blends: covers, films, relief and tint, by paint and by recipe."""

from uuid import UUID

from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.blend.layers.cover import CoverLayer
from ashblend.core.blend.layers.film import FilmLayer, Ripples
from ashblend.core.blend.layers.relief import ReliefLayer
from ashblend.core.blend.layers.tint import GradientColour, OneColour, TintLayer
from ashblend.core.materials.finish import Finish
from ashblend.core.materials.mapping import TileMapping
from ashblend.core.recipe.document import Recipe, Term, Uneven, Warp, of_channel
from ashblend.core.recipe.sources.channel import ChannelSource
from ashblend.core.recipe.sources.constant import ConstantSource
from ashblend.core.recipe.sources.facing import FacingSource
from ashblend.core.recipe.sources.height import HeightSource
from ashblend.core.recipe.sources.noise import NoiseSource
from ashblend.core.recipe.sources.slope import SlopeSource
from ashblend.demo.slipway import TIDE

Materials = dict[str, UUID]


def cover(
    name: str, material: UUID, mask: Recipe, tile: float, bite: float, softness: float, **more: object
) -> CoverLayer:
    """A triplanar cover."""
    return CoverLayer.model_validate(
        {
            "id": name.lower().replace(" ", "-"),
            "name": name,
            "material": material,
            "mapping": TileMapping(projection="triplanar", metres_per_tile=tile),
            "mask": mask,
            "bite": bite,
            "softness": softness,
            **more,
        }
    )


def _below(full: float, none: float, **more: object) -> Term:
    return Term.model_validate({"source": HeightSource(), "low": none, "high": full, **more})


def _noise(
    metres: float, low: float, high: float, seed: int, form: str = "gradient", op: str = "multiply"
) -> Term:
    source = NoiseSource.model_validate({"metres": metres, "seed": seed, "form": form, "octaves": 4})
    return Term.model_validate({"source": source, "low": low, "high": high, "op": op})


def slipway_blend(materials: Materials, channel_set: UUID) -> BlendDocument:
    """Setts under mortar, silt, barnacles and wrack; wet as far as the tide came, and rime toward the weather."""
    ground = TileMapping(projection="triplanar", metres_per_tile=1.3)
    level = Term(source=SlopeSource(), low=34.0, high=14.0, op="multiply")
    silt = Recipe(
        terms=(
            _below(TIDE - 0.55, TIDE + 0.25, warp=Warp(by=0.35, metres=1.4, seed=3)),
            level,
            _noise(1.7, 0.40, 0.58, 4),
        )
    )
    wet = Recipe(
        terms=(
            _below(TIDE + 0.02, TIDE + 0.34, warp=Warp(by=0.22, metres=0.9, seed=5)),
            Term(source=ConstantSource(), op="multiply", uneven=Uneven(amount=0.45, metres=0.8, seed=6)),
        )
    )
    weather = Recipe(
        terms=(
            Term(source=FacingSource(azimuth=118.0, tilt=26.0), low=62.0, high=22.0),
            _below(TIDE + 1.5, TIDE + 0.55, op="multiply", warp=Warp(by=0.3, metres=1.1, seed=7)),
            _noise(0.7, 0.30, 0.62, 8, "ridged"),
            Term(source=ChannelSource(channel_set=channel_set, channel=3), op="max"),
        )
    )
    return BlendDocument(
        name="Slipway tide",
        ground=Ground(name="Setts", material=materials["Granite setts"], mapping=ground),
        layers=(
            cover("Mortar", materials["Lime mortar"], of_channel(channel_set, 0), 0.9, -1.1, 0.16),
            cover(
                "Silt",
                materials["Silt"],
                silt,
                1.0,
                -2.4,
                0.10,
                mapping=TileMapping(projection="planar", axis="y", metres_per_tile=1.0),
            ),
            cover("Barnacles", materials["Barnacle crust"], of_channel(channel_set, 1), 0.55, 1.4, 0.12),
            cover("Wrack", materials["Wrack"], of_channel(channel_set, 2), 1.1, 1.2, 0.14),
            FilmLayer(
                id="wet",
                name="Wet",
                mask=wet,
                stands=0.62,
                level=0.34,
                bite=3.0,
                softness=0.12,
                darken=0.62,
                roughness=0.12,
                flatten=0.35,
                colour=(0.012, 0.016, 0.014),
                deepens=0.75,
                ripples=Ripples(metres=0.22, speed=0.12, strength=0.10),
            ),
            cover("Rime", materials["Salt rime"], weather, 0.5, 1.3, 0.14),
        ),
    )


def post_blend(materials: Materials, channel_set: UUID) -> BlendDocument:
    """Tarred timber, worn where it is edged, cracked and bleached toward its head, weed and water at its foot."""
    timber = TileMapping(projection="uv", metres_per_tile=0.55)
    cracks = Recipe(terms=(_noise(0.35, 0.42, 0.60, 2, op="set"), _below(0.7, 0.3, op="multiply")))
    bleached = GradientColour(
        along=Recipe(terms=(_below(1.9, 0.6),)),
        stops=((0.0, 1.0, 1.0, 1.0), (1.0, 1.9 / 2, 1.8 / 2, 1.6 / 2)),
    )
    return BlendDocument(
        name="Post",
        ground=Ground(name="Timber", material=materials["Tarred timber"], mapping=timber),
        layers=(
            ReliefLayer(
                id="cracks",
                name="Cracks",
                material=materials["Lichen rock"],
                mapping=TileMapping(projection="uv", metres_per_tile=0.4, rotation=90.0),
                mask=cracks,
                finish=Finish(normal=0.8),
                depth=0.6,
            ),
            TintLayer(
                id="worn",
                name="Worn",
                mask=Recipe(
                    terms=(
                        Term(source=ChannelSource(channel_set=channel_set, channel=2)),
                        _noise(0.08, 0.38, 0.62, 5, op="multiply"),
                    )
                ),
                opacity=0.75,
                colouring=OneColour(colour=(0.40, 0.29, 0.18)),
            ),
            TintLayer(
                id="bleached",
                name="Bleached",
                mask=Recipe(terms=(Term(source=ConstantSource()),)),
                colouring=bleached,
                how="multiply",
                lightness=1.25,
            ),
            cover("Weed", materials["Wrack"], of_channel(channel_set, 0), 0.6, 1.3, 0.15),
            FilmLayer(
                id="wet",
                name="Wet",
                mask=Recipe(terms=(_below(0.5, 0.95, warp=Warp(by=0.08, metres=0.3)),)),
                stands=0.95,
                darken=0.6,
                roughness=0.12,
            ),
            cover("Rime", materials["Salt rime"], of_channel(channel_set, 1), 0.3, 1.1, 0.2),
        ),
    )


def tuft_blend(materials: Materials, channel_set: UUID) -> BlendDocument:
    """No material at all but for the rime: colours by height and by what the channels say."""
    green = GradientColour(
        along=Recipe(terms=(_below(0.12, 0.0),)),
        stops=((0.0, 0.06, 0.055, 0.025), (0.4, 0.10, 0.16, 0.05), (1.0, 0.22, 0.30, 0.12)),
    )
    everywhere = Recipe(terms=(Term(source=ConstantSource()),))
    pink = Recipe(
        terms=(
            Term(source=ChannelSource(channel_set=channel_set, channel=3)),
            Term(source=ConstantSource(), op="multiply", uneven=Uneven(amount=0.3, metres=0.006, seed=3)),
        )
    )
    patches = Recipe(terms=(_noise(0.05, 0.3, 0.7, 9, op="set"),))
    return BlendDocument(
        name="Thrift",
        ground=Ground(
            name="Leaves", material=None, colour=(0.07, 0.11, 0.03), roughness=0.7, finish=Finish(thin=0.7)
        ),
        layers=(
            TintLayer(id="green", name="Green", mask=everywhere, colouring=green),
            TintLayer(
                id="dry",
                name="Dry",
                mask=patches,
                opacity=0.35,
                colouring=OneColour(colour=(0.28, 0.22, 0.10)),
            ),
            TintLayer(id="pink", name="Pink", mask=pink, colouring=OneColour(colour=(0.90, 0.37, 0.50))),
            cover("Rime", materials["Salt rime"], of_channel(channel_set, 2), 0.2, 1.0, 0.2),
        ),
    )
