"""Snow that holds: by slope, and by shelter from the wind."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32
from ashblend.core.bearing import CLOCKWISE
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure
from ashblend.core.survey.shelter import ShelterMeasure, sheltered
from ashblend.core.terrain.lie import slopes

# Degrees of shelter between which the wind takes all and leaves all (common practice).
BARE, FULL = -12.0, 6.0


def held_depth(degrees: F32) -> F32:
    """Metres of snow that a slope holds. Source: Bernhardt and Schulz (2010), Geophysical Research Letters 37,
    L11502, equation 1 (constants from memory): it falls with the second power of the slope.
    """
    return (3178.4 * np.maximum(degrees, np.float32(1)) ** -1.998).astype(np.float32)


class SnowMeasure(MeasureDocument):
    """fallen: metres on level, sheltered ground. azimuth, metres: of the wind, as of its shelter."""

    title: ClassVar[str] = "Snow"
    about: ClassVar[str] = (
        "How much of the snow that fell still lies: slopes shed it, wind takes it from what is exposed"
    )
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="fallen",
            title="Fallen",
            about="Depth on level, sheltered ground",
            low=0.1,
            high=10,
            unit="m",
            logarithmic=True,
        ),
        Setting(key="azimuth", title="Wind from", about=CLOCKWISE, low=0, high=360, unit="°", compass=True),
        Setting(
            key="metres", title="Looks", about="How far upwind", low=5, high=1000, unit="m", logarithmic=True
        ),
    )

    kind: Literal["snow"] = "snow"
    fallen: Annotated[FiniteFloat, Field(gt=0, le=100)] = 2.0
    azimuth: Annotated[FiniteFloat, Field(ge=0, le=360)] = 240.0
    metres: Annotated[FiniteFloat, Field(gt=0, le=10_000)] = 60.0


def _over(ground: Ground, wanted: SnowMeasure, progress: Progress) -> F32:
    holds = np.minimum(held_depth(slopes(ground.heights, ground.spacing)) / np.float32(wanted.fallen), 1)
    wind = ShelterMeasure(azimuth=wanted.azimuth, metres=wanted.metres)
    kept = np.clip((sheltered(ground, wind, progress) - BARE) / (FULL - BARE), 0, 1)
    return (holds * kept).astype(np.float32)


SNOW = measure(SnowMeasure, _over)
