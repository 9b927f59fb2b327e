"""Skerry, the terrain of the sample: what lies where by rules, a track by hand, and a blend of it."""

from itertools import pairwise
from uuid import UUID, uuid4

import numpy as np
from sqlalchemy.orm import Session

from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.blend.layers.cover import CoverLayer
from ashblend.core.blend.layers.film import FilmLayer, Ripples
from ashblend.core.blend.layers.tint import OneColour, TintLayer
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.stroke import Stroke
from ashblend.core.formats.heights.npy import NPY
from ashblend.core.materials.finish import Finish
from ashblend.core.materials.mapping import Far, TileMapping
from ashblend.core.recipe.document import Recipe, Term, Warp, of_channel
from ashblend.core.recipe.sources.constant import ConstantSource
from ashblend.core.recipe.sources.height import HeightSource
from ashblend.core.recipe.sources.noise import NoiseSource
from ashblend.core.recipe.sources.slope import SlopeSource
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.surface.heights_intake import cell_set, height_set
from ashblend.core.surface.neighbours import Neighbour, Surroundings
from ashblend.core.surface.open_set import OpenSet, open_sets
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.state import SetState, SurfaceState
from ashblend.core.survey.snow import SnowMeasure
from ashblend.core.survey.talus import TalusMeasure
from ashblend.core.survey.upstream import UpstreamMeasure
from ashblend.core.terrain.frame import terrain_mesh
from ashblend.core.terrain.terrain import Terrain, terrain_of
from ashblend.demo.skerry import TIDE, skerry_heights
from ashblend.demo.undercoats import Undercoated, run_undercoats
from ashblend.store.blends import create_blend
from ashblend.store.models import Surface
from ashblend.store.surfaces import NewChannelSet, channel_sets_of, create_surface
from ashblend.store.surroundings import write_surroundings

Materials = dict[str, UUID]
CELLS = 1024
# Along the lee shore and up to the station, in metres.
TRACK = (
    (330.0, 60.0),
    (262.0, 62.0),
    (205.0, 20.0),
    (150.0, 8.0),
    (96.0, -38.0),
    (40.0, -52.0),
    (-14.0, -96.0),
)


def _height(none: float, full: float, op: str = "set", **more: object) -> Term:
    return Term.model_validate({"source": HeightSource(), "low": none, "high": full, "op": op, **more})


def _slope(none: float, full: float) -> Term:
    return Term.model_validate({"source": SlopeSource(), "low": none, "high": full, "op": "multiply"})


def _noise(metres: float, none: float, full: float, seed: int, form: str = "gradient") -> Term:
    source = NoiseSource.model_validate({"metres": metres, "seed": seed, "form": form, "octaves": 5})
    return Term.model_validate({"source": source, "low": none, "high": full, "op": "multiply"})


SHINGLE = Recipe(
    terms=(
        _height(0.2, 1.0),
        _height(6.5, 3.2, "multiply", warp=Warp(by=6, metres=30, seed=4)),
        _slope(28, 17),
    )
)
HEATH = Recipe(
    terms=(_height(4.0, 7.5, warp=Warp(by=8, metres=24, seed=5)), _slope(38, 27), _noise(70, 0.22, 0.46, 6))
)
GUANO = Recipe(terms=(_height(34, 52), _slope(44, 26), _noise(14, 0.52, 0.66, 7)))
SILT = Recipe(
    terms=(
        _height(-4.0, -0.6),
        _height(1.9, 0.9, "multiply", warp=Warp(by=5, metres=26, seed=8)),
        _slope(9, 4),
    )
)
RUBBLE = Recipe(terms=(Term(source=TalusMeasure(cliff=44.0, reach=30.0), low=0.0, high=2.5),))
RIME = Recipe(terms=(Term(source=SnowMeasure(fallen=3.0, azimuth=60.0), low=0.35, high=0.75), _height(58, 78, "multiply"), _noise(30, 0.36, 0.60, 9)))  # fmt: skip
RUNNELS = Recipe(
    terms=(Term(source=UpstreamMeasure(), low=700.0, high=5000.0), _height(0.6, 1.6, "multiply"))
)

SETS: tuple[tuple[str, tuple[tuple[str, Recipe | None], ...]], ...] = (
    ("Splat 1", (("Shingle", SHINGLE), ("Heath", HEATH), ("Guano", GUANO), ("Track", None))),
    ("Splat 2", (("Silt", SILT), ("Rubble", RUBBLE), ("Rime", RIME), ("Runnels", RUNNELS))),
)


def _cover(
    name: str,
    material: UUID,
    mask: Recipe,
    tile: float,
    bite: float,
    softness: float,
    broken: bool = False,
    far: bool = False,
    **more: object,
) -> CoverLayer:
    mapping = TileMapping(
        projection="planar",
        axis="y",
        metres_per_tile=tile,
        broken=broken,
        far=Far(times=6.0, begins=60.0, ends=260.0) if far else None,
    )
    return CoverLayer.model_validate(
        {
            "id": name.lower(),
            "name": name,
            "material": material,
            "mapping": mapping,
            "mask": mask,
            "bite": bite,
            "softness": softness,
            **more,
        }
    )


def skerry_blend(materials: Materials, first: UUID, second: UUID) -> BlendDocument:
    """Rock, rubble below its cliffs, heath where it holds, shingle and silt at the shore, the sea around."""
    rock = TileMapping(
        projection="triplanar", metres_per_tile=7.0, far=Far(times=5.0, begins=80.0, ends=320.0)
    )
    tide = Recipe(terms=(_height(TIDE + 1.1, TIDE - 0.2, warp=Warp(by=4, metres=18, seed=11)),))
    # Where the sea is shallow, in lines along the shore that break up.
    surf = Recipe(
        terms=(
            Term(source=HeightSource(), low=-0.95, high=-0.4, warp=Warp(by=5, metres=22, seed=21)),
            _height(0.1, -0.45, op="multiply", warp=Warp(by=3, metres=14, seed=22)),
            Term(
                source=NoiseSource(metres=5.5, octaves=4, seed=23, form="ridged"),
                low=0.5,
                high=0.85,
                op="multiply",
            ),
        )
    )
    return BlendDocument(
        name="Skerry",
        ground=Ground(name="Rock", material=materials["Lichen rock"], mapping=rock),
        layers=(
            _cover(
                "Rubble",
                materials["Shingle"],
                of_channel(second, 1),
                9.0,
                1.2,
                0.2,
                finish=Finish(tint=(0.72, 0.72, 0.70)),
            ),
            _cover(
                "Heath",
                materials["Heath"],
                of_channel(first, 1),
                2.4,
                0.8,
                0.25,
                broken=True,
                far=True,
                finish=Finish(tint=(1.5, 1.4, 1.2)),
            ),
            _cover("Shingle", materials["Shingle"], of_channel(first, 0), 3.0, -0.8, 0.2, far=True),
            _cover("Silt", materials["Silt"], of_channel(second, 0), 5.0, -1.6, 0.2),
            _cover(
                "Track",
                materials["Silt"],
                of_channel(first, 3),
                3.0,
                -0.9,
                0.3,
                finish=Finish(tint=(1.25, 1.12, 0.92)),
            ),
            TintLayer(
                id="guano",
                name="Guano",
                mask=of_channel(first, 2),
                opacity=0.6,
                colouring=OneColour(colour=(0.74, 0.72, 0.64)),
            ),
            _cover("Rime", materials["Salt rime"], of_channel(second, 2), 4.0, 1.1, 0.2),
            FilmLayer(
                id="runnels", name="Runnels", mask=of_channel(second, 3), opacity=0.7, stands=0.9, darken=0.55
            ),
            FilmLayer(id="wet", name="Wet", mask=tide, stands=1.0, darken=0.55, roughness=0.34, flatten=0.4),
            FilmLayer(
                id="sea",
                name="Sea",
                mask=Recipe(terms=(_height(0.15, -0.35), Term(source=ConstantSource(), op="multiply"))),
                border="plain",
                stands=0.2,
                level=1.0,
                softness=0.3,
                colour=(0.012, 0.045, 0.058),
                cloudy=0.6,
                deepens=0.9,
                roughness=0.13,
                ripples=Ripples(metres=14.0, speed=0.8, strength=0.045),
            ),
            _cover("Surf", materials["Salt rime"], surf, 6.0, 0.6, 0.35, opacity=0.85),
        ),
    )


def _track(found: OpenSet, terrain: Terrain) -> None:
    """Painted by hand: soft verges, broken by noise."""
    brush = Brush(
        act="paint", radius=4.6, strength=0.92, target=1.0, falloff="dome", reach="ball", spacing=0.2
    )
    stroke = Stroke(found.sites, found.channels[3], 3, brush)
    samples = []
    for (ax, az), (bx, bz) in pairwise(TRACK):
        for t in np.linspace(0, 1, 24, endpoint=False):
            x, z = ax + (bx - ax) * t, az + (bz - az) * t
            x, z = x + 3.5 * np.sin(z / 17), z + 3.5 * np.sin(x / 23)
            col, row = (
                round(x / terrain.spacing + terrain.cols / 2),
                round(z / terrain.spacing + terrain.rows / 2),
            )
            samples.append(PointerSample(position=(x, float(terrain.heights[row, col]), z), normal=(0, 1, 0)))
    stroke.extend(samples)
    stroke.finish()


def _sets(terrain: Terrain) -> tuple[list[Undercoated], NewChannelSet, SurfaceState]:
    """Sets with their undercoats worked out, and that of the heights."""
    mesh = terrain_mesh(terrain)
    shape = shape_of(mesh, number=1)
    states = []
    for name, channels in SETS:
        empty = cell_set(name, CELLS, CELLS, terrain)
        document = ChannelSetDocument(name=name, channels=tuple(ChannelDocument(name=n) for n, _ in channels))
        states.append(SetState(uuid4(), empty.sites, document, empty.channels))
    sets = open_sets(shape, SurfaceState(mesh, (), tuple(states)), {})
    for found, (_, channels) in zip(sets.values(), SETS, strict=True):
        run_undercoats(shape, sets, found, {k: recipe for k, (_, recipe) in enumerate(channels) if recipe})
        if any(recipe is None for _, recipe in channels):
            _track(found, terrain)
    ground = height_set(terrain)
    made = [Undercoated(shape, found) for found in sets.values()]
    heights = NewChannelSet(ground.document, ground.channels, ground.sites)
    return made, heights, SurfaceState(mesh, (), ())


def _stand(session: Session, skerry: UUID, slipway: UUID, post: UUID) -> None:
    """The slipway where the beach in the south-east falls about as it does, and posts beside it to make fast at."""
    x, z, turn = 206.0, 228.0, 38.0
    across, along = np.radians(turn + 90), np.radians(turn)
    posts = [
        Neighbour(
            surface=post,
            x=round(x + beside * np.sin(across) + down * np.sin(along), 2),
            z=round(z + beside * np.cos(across) + down * np.cos(along), 2),
            above=-0.15,
            turn=turn + 70 * number,
        )
        for number, (beside, down) in enumerate(((6.2, 2.5), (6.6, -4.0), (-6.0, 0.5)))
    ]
    around = Surroundings(neighbours=(Neighbour(surface=slipway, x=x, z=z, above=0.15, turn=turn), *posts))
    write_surroundings(session, skerry, 1, around)


def add_skerry(session: Session, project: UUID, materials: Materials, slipway: UUID, post: UUID) -> Surface:
    """The terrain with its sets, its blend, its facts and what stands on it."""
    terrain = terrain_of(skerry_heights(), 1.0)
    sets, heights, state = _sets(terrain)
    facts = {**shape_of(state.mesh).facts(), "colour_sets": 0, "notes": [], "all_white": []}
    data = NPY.write(terrain.heights)
    surface = create_surface(
        session, project, "Skerry", "skerry.npy", data, facts, [*(s.new for s in sets), heights], state.mesh
    )
    for entry in sets:
        entry.keep(session, surface)
    first, second = (row.id for row in channel_sets_of(session, surface.id)[:2])
    surface.blend_id = create_blend(session, project, skerry_blend(materials, first, second)).id
    _stand(session, surface.id, slipway, post)
    return surface
