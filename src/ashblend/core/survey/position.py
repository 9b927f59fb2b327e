"""How high a place lies above its surroundings."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.source_document import Unit
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure


def above_mean(heights: F32, radius: float) -> F32:
    """(rows, cols) metres above the mean of all heights within a radius in samples.

    Source: Weiss (2001), "Topographic position and landforms analysis", ESRI user conference; the neighbourhood is a disc.
    """
    import cv2

    reach = max(1, round(radius))
    at = np.arange(-reach, reach + 1)
    disc = ((at[:, None] ** 2 + at[None] ** 2) <= max(radius, 1.0) ** 2).astype(np.float32)
    # Around a middle height, so that sums of many keep their small differences.
    middle = np.float32(np.median(heights))
    sums = cv2.filter2D(heights - middle, cv2.CV_32F, disc, borderType=cv2.BORDER_CONSTANT)
    counts = cv2.filter2D(np.ones_like(heights), cv2.CV_32F, disc, borderType=cv2.BORDER_CONSTANT)
    return (heights - middle - sums / counts).astype(np.float32)


class PositionMeasure(MeasureDocument):
    """metres: radius of the surroundings."""

    title: ClassVar[str] = "Position"
    about: ClassVar[str] = (
        "How high a place lies above the mean of its surroundings, in metres; hollows are negative"
    )
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.0, 4.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="metres",
            title="Around",
            about="Radius of the surroundings",
            low=1,
            high=1000,
            unit="m",
            logarithmic=True,
        ),
    )

    kind: Literal["position"] = "position"
    metres: Annotated[FiniteFloat, Field(gt=0, le=10_000)] = 40.0


def _over(ground: Ground, wanted: PositionMeasure, _: Progress) -> F32:
    return above_mean(ground.heights, wanted.metres / ground.spacing)


POSITION = measure(PositionMeasure, _over)
