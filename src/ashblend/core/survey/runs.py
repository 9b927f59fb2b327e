"""Where water that falls on the surface runs: streaks under sills, rims of puddles.

From the highest point down, each hands what fell on it and what came to it on to its lower neighbours, shared by the
steepness to the power 1.1 (Freeman 1991, Computers & Geosciences 17(3), 413-422). Told as metres of surface that
drain through a metre of width, which does not depend on how it is cut into triangles. What falls is what the surface
shows to the rain, less what is hidden from it.
"""

from typing import Annotated, ClassVar, Literal, Self

import numba
import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.progress import Progress
from ashblend.core.sites.patch import Graph
from ashblend.core.source_document import Setting, Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.openness import OpennessMeasure, openness_over
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length

POWER = 1.1


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _run(positions: F32, offsets: I32, fans: I32, order: I32, fallen: F64) -> None:
    """Let fallen (points,) in m² run down, in place."""
    # Shares of one point's neighbours, told once: a power takes longer than all else.
    held = np.empty(2 * np.diff(offsets).max(), np.float64) if order.shape[0] else np.empty(0)
    for k in range(order.shape[0]):
        p = order[k]
        height = positions[p, 1]
        total = 0.0
        for once in range(2):
            n = 0
            for j in range(offsets[p], offsets[p + 1]):
                for side in range(2):
                    q = fans[j, side]
                    if q < 0 or q == p or (side == 1 and q == fans[j, 0]) or positions[q, 1] >= height:
                        continue
                    if once == 0:
                        dx = float(positions[q, 0] - positions[p, 0])
                        dz = float(positions[q, 2] - positions[p, 2])
                        fall = float(height - positions[q, 1])
                        held[n] = (fall / np.sqrt(dx * dx + dz * dz + fall * fall)) ** POWER
                        total += held[n]
                    elif total > 0:
                        fallen[q] += fallen[p] * held[n] / total
                    n += 1


def run_down(graph: Graph, fallen: F64) -> F64:
    """(points,) what comes to each point or fell on it, of what fell: (points,), in one unit."""
    out = fallen.copy()
    order = np.argsort(-graph.positions[: out.shape[0], 1], kind="stable").astype(np.int32)
    _run(graph.positions, graph.offsets, graph.fans, order, out)
    return out


class RunsMeasure(MeasureDocument):
    """width: degrees across the sky that the rain comes from, overhead. metres: how far it is evened out."""

    title: ClassVar[str] = "Runs"
    about: ClassVar[str] = (
        "Metres of surface whose rain runs through here: streaks under sills, rims of puddles"
    )
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.2, 1.5)
    coarsely: ClassVar[bool] = True
    spreads: ClassVar[bool] = False
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="width",
            title="Rain's width",
            about="Across the sky that it comes from",
            low=0,
            high=120,
            unit="°",
        ),
        Setting(
            key="metres",
            title="Spread",
            about="How far it is evened out along the surface",
            low=0,
            high=1,
            unit="m",
        ),
    )

    kind: Literal["runs"] = "runs"
    width: Annotated[FiniteFloat, Field(ge=0, le=170)] = 40.0
    metres: Annotated[FiniteFloat, Field(ge=0, le=1e4)] = 0.02

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size / 400)), (round_length(size / 20), round_length(size / 3))


def _on(body: Body, wanted: RunsMeasure, progress: Progress) -> F32:
    rain = OpennessMeasure(azimuth=0, tilt=90, width=wanted.width, rays=8)
    hit = body.to_points(openness_over(body, rain, progress))
    areas = body.areas_of_points
    up = np.clip(body.points.normals[:, 1].astype(np.float64), 0, 1)
    gathered = run_down(body.graph, areas * hit * up)
    # Through the width of a point, as wide as its area is long.
    return body.of_points(body.spread(gathered / np.sqrt(np.maximum(areas, 1e-12)), wanted.metres))


RUNS = measure(RunsMeasure, on=_on)
