"""Rubble below cliffs."""

from typing import Annotated, ClassVar, Literal

import numba
import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, I32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.source_document import Unit
from ashblend.core.survey.flow import STEPS
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure
from ashblend.core.terrain.lie import slopes


@numba.njit(cache=True, nogil=True)
def energy_line(heights: F32, cliffs: F32, order: I32, drop: float) -> F32:
    """(rows, cols) metres between the ground and the highest energy line of anything that broke off above.

    cliffs: not zero where rocks break off. order: (n,) cells, the highest first. drop: metres that the line falls for
    each spacing that a rock goes. It goes on to every lower neighbour.
    """
    rows, cols = heights.shape
    flat = heights.reshape(-1)
    line = np.full(rows * cols, -np.inf, np.float32)
    for k in range(order.shape[0]):
        n = order[k]
        r, c = n // cols, n % cols
        if cliffs[r, c] != 0:
            line[n] = max(line[n], flat[n])
        if line[n] <= flat[n] and cliffs[r, c] == 0:
            continue
        for s in range(8):
            rr, cc = r + STEPS[s, 0], c + STEPS[s, 1]
            if rr < 0 or cc < 0 or rr >= rows or cc >= cols:
                continue
            m = rr * cols + cc
            if flat[m] < flat[n]:
                far = np.sqrt(2.0) if s in (0, 2, 5, 7) else 1.0
                line[m] = max(line[m], line[n] - drop * far)
    return np.maximum(line - flat, 0).reshape(rows, cols)


class TalusMeasure(MeasureDocument):
    """cliff: degrees from which rocks break off. reach: degrees at which a rock's energy is used up."""

    title: ClassVar[str] = "Rubble"
    about: ClassVar[str] = (
        "Where rocks that break off cliffs come to rest: metres below the line to which they could go"
    )
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.0, 2.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="cliff",
            title="Cliffs from",
            about="Slope at which rocks break off",
            low=20,
            high=80,
            unit="°",
        ),
        Setting(
            key="reach",
            title="Reach",
            about="Angle at which a rock comes to rest: less goes farther",
            low=15,
            high=45,
            unit="°",
        ),
    )

    kind: Literal["talus"] = "talus"
    cliff: Annotated[FiniteFloat, Field(ge=1, le=90)] = 48.0
    reach: Annotated[FiniteFloat, Field(ge=1, le=89)] = 32.0


def _over(ground: Ground, wanted: TalusMeasure, _: Progress) -> F32:
    """Energy line: Heim (1932), "Bergsturz und Menschenleben"; a reach angle of 28° to 34° is usual for rockfall
    (Evans and Hungr 1993, Canadian Geotechnical Journal 30(4)).
    """
    steep = slopes(ground.heights, ground.spacing) >= wanted.cliff
    order = np.argsort(-ground.heights.reshape(-1), kind="stable").astype(np.int32)
    drop = float(np.tan(np.radians(wanted.reach)) * ground.spacing)
    rubble = energy_line(ground.heights, steep.astype(np.float32), order, drop)
    return np.where(steep, np.float32(0), rubble)


TALUS = measure(TalusMeasure, _over)
