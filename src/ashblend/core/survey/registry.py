"""All measures. A new one is one new file and one line in the union and in MEASURES."""

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from ashblend.core.survey.along import ALONG, AlongMeasure
from ashblend.core.survey.aspect import ASPECT, AspectMeasure
from ashblend.core.survey.borrow import BORROW, BorrowMeasure
from ashblend.core.survey.cavity import CAVITY, CavityMeasure
from ashblend.core.survey.convexity import CONVEXITY, ConvexityMeasure
from ashblend.core.survey.distance import DISTANCE, DistanceMeasure
from ashblend.core.survey.edges import EDGES, EdgesMeasure
from ashblend.core.survey.inside import INSIDE, InsideMeasure
from ashblend.core.survey.near_water import NEAR_WATER, NearWaterMeasure
from ashblend.core.survey.occlusion import OCCLUSION, OcclusionMeasure
from ashblend.core.survey.openness import OPENNESS, OpennessMeasure
from ashblend.core.survey.pieces import PIECES, PiecesMeasure
from ashblend.core.survey.pivot import PIVOT, PivotMeasure
from ashblend.core.survey.position import POSITION, PositionMeasure
from ashblend.core.survey.protocol import Measure
from ashblend.core.survey.runs import RUNS, RunsMeasure
from ashblend.core.survey.shelter import SHELTER, ShelterMeasure
from ashblend.core.survey.snow import SNOW, SnowMeasure
from ashblend.core.survey.sun import SUN, SunMeasure
from ashblend.core.survey.talus import TALUS, TalusMeasure
from ashblend.core.survey.thickness import THICKNESS, ThicknessMeasure
from ashblend.core.survey.upstream import UPSTREAM, UpstreamMeasure
from ashblend.core.survey.water import WATER, WaterMeasure
from ashblend.core.survey.wetness import WETNESS, WetnessMeasure

AnyMeasure = Annotated[
    OcclusionMeasure
    | OpennessMeasure
    | ThicknessMeasure
    | EdgesMeasure
    | CavityMeasure
    | RunsMeasure
    | DistanceMeasure
    | AlongMeasure
    | PiecesMeasure
    | InsideMeasure
    | BorrowMeasure
    | PivotMeasure
    | AspectMeasure
    | ConvexityMeasure
    | PositionMeasure
    | WaterMeasure
    | UpstreamMeasure
    | WetnessMeasure
    | NearWaterMeasure
    | ShelterMeasure
    | SunMeasure
    | SnowMeasure
    | TalusMeasure,
    Field(discriminator="kind"),
]
MEASURES: Mapping[str, Measure] = {
    measure.kind: measure
    for measure in (
        OCCLUSION,
        OPENNESS,
        THICKNESS,
        EDGES,
        CAVITY,
        RUNS,
        DISTANCE,
        ALONG,
        PIECES,
        INSIDE,
        BORROW,
        PIVOT,
        ASPECT,
        CONVEXITY,
        POSITION,
        WATER,
        UPSTREAM,
        WETNESS,
        NEAR_WATER,
        SHELTER,
        SUN,
        SNOW,
        TALUS,
    )
}
