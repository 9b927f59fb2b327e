"""Undercoats of the sample's meshes: tide, spray, streaks, worn edges, weather and sway."""

from ashblend.core.curve import Curve
from ashblend.core.recipe.document import Recipe, Term, Uneven, Warp
from ashblend.core.recipe.sources.height import HeightSource
from ashblend.core.recipe.sources.noise import NoiseSource
from ashblend.core.recipe.sources.slope import SlopeSource
from ashblend.core.survey.along import AlongMeasure
from ashblend.core.survey.edges import EdgesMeasure
from ashblend.core.survey.occlusion import OcclusionMeasure
from ashblend.core.survey.openness import OpennessMeasure
from ashblend.core.survey.pieces import PiecesMeasure
from ashblend.core.survey.runs import RunsMeasure
from ashblend.demo.slipway import TIDE


def _patches(metres: float, low: float, high: float, seed: int) -> Term:
    source = NoiseSource(metres=metres, seed=seed, octaves=4)
    return Term(source=source, low=low, high=high, op="multiply")


def _steep(none: float, full: float) -> Term:
    return Term(source=SlopeSource(), low=none, high=full, op="multiply")


# By number of the channel.
SLIPWAY = {
    # Lime washed out of the coping runs down the wall; edges are chipped pale.
    0: Recipe(
        terms=(
            Term(source=RunsMeasure(width=60, metres=0.05), low=0.06, high=0.38),
            _steep(50, 78),
            Term(source=HeightSource(), low=0.0, high=0.6, op="multiply"),
            _patches(0.9, 0.34, 0.56, 3),
            Term(
                source=EdgesMeasure(least=40),
                low=0.30,
                high=0.0,
                op="max",
                uneven=Uneven(amount=0.9, metres=0.6, seed=9),
            ),
        )
    ),
    # Where spray from the sea reaches, below the tide.
    1: Recipe(
        terms=(
            Term(
                source=HeightSource(),
                low=TIDE + 0.55,
                high=TIDE - 0.25,
                warp=Warp(by=0.3, metres=0.9, seed=21),
            ),
            Term(
                source=OpennessMeasure(azimuth=180, tilt=25, width=120, rays=48),
                low=0.02,
                high=0.4,
                op="multiply",
            ),
            Term(source=SlopeSource(), low=10, high=60, op="multiply", amount=0.45),
            _patches(1.1, 0.36, 0.56, 22),
        )
    ),
    # The tide line leaves it, most of all in corners.
    2: Recipe(
        terms=(
            Term(
                source=HeightSource(),
                low=TIDE + 0.30,
                high=TIDE - 0.55,
                warp=Warp(by=0.45, metres=1.8, seed=23),
            ),
            Term(source=OcclusionMeasure(metres=1.5), low=0.98, high=0.7, op="multiply", amount=0.4),
            _steep(80, 50),
            _patches(1.8, 0.32, 0.50, 24),
        )
    ),
}
POST = {
    0: Recipe(terms=(Term(source=HeightSource(), low=0.95, high=0.25),)),
    1: Recipe(
        terms=(
            Term(source=OpennessMeasure(azimuth=90, tilt=20, width=110), low=0.2, high=0.9),
            Term(source=HeightSource(), low=0.9, high=1.8, op="multiply"),
        )
    ),
    2: Recipe(terms=(Term(source=EdgesMeasure(least=35), low=0.08, high=0.0),)),
}
THRIFT = {
    # Heads are parts of their own, whose roots are high up.
    0: Recipe(
        terms=(
            Term(
                source=AlongMeasure(of="each part"),
                curve=Curve(points=((0, 0), (0.35, 0.06), (0.7, 0.4), (1, 1))),
            ),
            Term(source=HeightSource(), low=0.02, high=0.1, op="multiply"),
            Term(source=HeightSource(), low=0.12, high=0.2, op="max"),
        )
    ),
    1: Recipe(terms=(Term(source=PiecesMeasure(seed=2)),)),
}
