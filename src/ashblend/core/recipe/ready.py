"""Recipes to begin with, for what surfaces commonly need, in metres that fit the surface at hand."""

from collections.abc import Callable
from dataclasses import dataclass

from ashblend.core.curve import Curve
from ashblend.core.recipe.document import Recipe, Term, Uneven, Warp
from ashblend.core.recipe.sources.height import HeightSource
from ashblend.core.recipe.sources.slope import SlopeSource
from ashblend.core.survey.along import AlongMeasure
from ashblend.core.survey.convexity import ConvexityMeasure
from ashblend.core.survey.edges import EdgesMeasure
from ashblend.core.survey.near_water import NearWaterMeasure
from ashblend.core.survey.occlusion import OcclusionMeasure
from ashblend.core.survey.openness import OpennessMeasure
from ashblend.core.survey.pieces import PiecesMeasure
from ashblend.core.survey.protocol import MeasureDocument, round_length
from ashblend.core.survey.runs import RunsMeasure
from ashblend.core.survey.snow import SnowMeasure
from ashblend.core.survey.talus import TalusMeasure
from ashblend.core.survey.thickness import ThicknessMeasure
from ashblend.core.survey.wetness import WetnessMeasure


@dataclass(frozen=True)
class Extent:
    """size: metres from corner to corner. low, high: metres of its lowest and highest place."""

    size: float
    low: float
    high: float


@dataclass(frozen=True)
class Ready:
    """picture: the measure whose picture stands for it; empty for none."""

    name: str
    about: str
    picture: str
    recipe: Callable[[Extent], Recipe]


def _features(metres: float) -> float:
    """A size of noise that there can be."""
    return min(max(round_length(metres), 0.001), 1000.0)


def fitted(measure: type[MeasureDocument], of: Extent) -> Term:
    """A term that begins with a measure, as fits a surface."""
    source, (low, high) = measure.fitted(of.size)
    return Term.model_validate({"source": source, "low": low, "high": high})


def _broken(term: Term, of: Extent, amount: float = 0.6) -> Term:
    uneven = Uneven(amount=amount, metres=_features(of.size / 30))
    return term.model_copy(update={"uneven": uneven})


def _worn(of: Extent) -> Recipe:
    return Recipe(terms=(_broken(fitted(EdgesMeasure, of), of, 0.75),))


def _dirt(of: Extent) -> Recipe:
    hollows = ConvexityMeasure(metres=round_length(of.size / 40), side="hollows")
    return Recipe(
        terms=(
            _broken(fitted(OcclusionMeasure, of), of),
            Term(source=hollows, low=0.05, high=0.5, op="max", amount=0.8),
        )
    )


def _weather(of: Extent) -> Recipe:
    return Recipe(terms=(_broken(fitted(OpennessMeasure, of), of, 0.4),))


def _tide(of: Extent) -> Recipe:
    # On a level surface the line has some width all the same.
    tall = max(of.high - of.low, of.size / 50)
    line = of.low + 0.3 * tall
    by = _features(tall / 12)
    return Recipe(
        terms=(
            Term(
                source=HeightSource(),
                low=line + 0.05 * tall,
                high=line - 0.05 * tall,
                warp=Warp(by=by, metres=_features(by * 4)),
            ),
        )
    )


def _streaks(of: Extent) -> Recipe:
    return Recipe(
        terms=(
            _broken(fitted(RunsMeasure, of), of, 0.5),
            Term(source=SlopeSource(), low=45, high=75, op="multiply"),
        )
    )


def _sway(_: Extent) -> Recipe:
    slow = Curve(points=((0, 0), (0.35, 0.06), (0.7, 0.4), (1, 1)))
    return Recipe(terms=(Term(source=AlongMeasure(of="each part"), curve=slow),))


def _thin(of: Extent) -> Recipe:
    return Recipe(terms=(fitted(ThicknessMeasure, of),))


def _pieces(_: Extent) -> Recipe:
    return Recipe(terms=(Term(source=PiecesMeasure()),))


def _of_ground(source: MeasureDocument) -> Callable[[Extent], Recipe]:
    low, high = source.ends
    term = Term.model_validate({"source": source, "low": low, "high": high})
    return lambda of: Recipe(terms=(term.model_copy(update={"uneven": Uneven(amount=0.4, metres=8)}),))


ON_MESHES: tuple[Ready, ...] = (
    Ready("Worn edges", "Convex edges, broken by noise", "edges", _worn),
    Ready("Dirt in cavities", "Where little light gets in, and hollows", "occlusion", _dirt),
    Ready("Weather side", "What lies open to the south-west", "openness", _weather),
    Ready("Tide line", "Below a height, with a worn border", "", _tide),
    Ready("Streaks under sills", "Where rain runs down what is steep", "runs", _streaks),
    Ready("Sway from roots", "From 0 at each part's root to 1 at its tip", "along", _sway),
    Ready("Thin parts", "Where light comes through and things break", "thickness", _thin),
    Ready("Random per stone", "A number for each connected part", "pieces", _pieces),
)
ON_TERRAIN: tuple[Ready, ...] = (
    Ready("Snow that holds", "By slope and shelter from the wind", "snow", _of_ground(SnowMeasure())),
    Ready(
        "Damp ground",
        "Where much drains through and little runs off",
        "wetness",
        _of_ground(WetnessMeasure()),
    ),
    Ready("Rubble below cliffs", "As far as it rolls", "talus", _of_ground(TalusMeasure())),
    Ready("Shore", "Near to water", "near_water", _of_ground(NearWaterMeasure())),
)
