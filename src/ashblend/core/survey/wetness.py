"""How wet ground is kept by what drains into it."""

from typing import ClassVar, Literal

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure
from ashblend.core.survey.upstream import upstream_area
from ashblend.core.terrain.lie import slopes

# Level ground is taken to fall so much, in degrees, or its wetness would have no end.
LEAST_SLOPE = 0.1


class WetnessMeasure(MeasureDocument):
    title: ClassVar[str] = "Wetness"
    about: ClassVar[str] = (
        "How wet what drains into it keeps the ground: about 3 on ridges, 10 and more in hollows"
    )
    ends: ClassVar[tuple[float, float]] = (5.0, 10.0)

    kind: Literal["wetness"] = "wetness"


def wetness(ground: Ground) -> F32:
    """(rows, cols) ln(a / tan β), a the upstream area a metre of contour, β the slope.

    Source: Beven and Kirkby (1979), Hydrological Sciences Bulletin 24(1), 43-69.
    """
    falls = np.tan(np.radians(np.maximum(slopes(ground.heights, ground.spacing), np.float32(LEAST_SLOPE))))
    return np.log(upstream_area(ground) / np.float32(ground.spacing) / falls).astype(np.float32)


def _over(ground: Ground, _: WetnessMeasure, __: Progress) -> F32:
    return wetness(ground)


WETNESS = measure(WetnessMeasure, _over)
