"""How far a place's neighbours rise over it: dirt that gathers in cavities.

The mean angle that neighbours stand over the plane of a place, in degrees, evened out along the surface. It is told
from the very next sites, as fine as these lie; ridges and hollows (convexity.py) are the same at a scale in metres.
Source: common practice.
"""

from typing import Annotated, ClassVar, Literal, Self

import numba
import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.progress import Progress
from ashblend.core.source_document import Setting, Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length


@numba.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _rise(positions: F32, normals: F32, offsets: I32, fans: I32) -> F64:
    count = offsets.shape[0] - 1
    out = np.zeros(count)
    for p in numba.prange(count):
        total, ways = 0.0, 0
        for j in range(offsets[p], offsets[p + 1]):
            for side in range(2):
                q = fans[j, side]
                if q < 0 or q == p or (side == 1 and q == fans[j, 0]):
                    continue
                dx = float(positions[q, 0]) - positions[p, 0]
                dy = float(positions[q, 1]) - positions[p, 1]
                dz = float(positions[q, 2]) - positions[p, 2]
                apart = np.sqrt(dx * dx + dy * dy + dz * dz)
                if apart > 0:
                    up = (dx * normals[p, 0] + dy * normals[p, 1] + dz * normals[p, 2]) / apart
                    total += np.degrees(np.arcsin(min(1.0, max(-1.0, up))))
                    ways += 1
        out[p] = total / ways if ways else 0.0
    return out


class CavityMeasure(MeasureDocument):
    """metres: how far it is evened out along the surface. passes: how often."""

    title: ClassVar[str] = "Cavity dirt"
    about: ClassVar[str] = "The mean angle at which a place's neighbours stand over it; below 0° on ridges"
    unit: ClassVar[Unit] = "°"
    ends: ClassVar[tuple[float, float]] = (1.0, 15.0)
    spreads: ClassVar[bool] = False
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="metres",
            title="Spread",
            about="How far it is evened out along the surface",
            low=0,
            high=1,
            unit="m",
        ),
        Setting(key="passes", title="Passes", about="How often it is evened out", low=0, high=8, whole=True),
    )

    kind: Literal["cavity"] = "cavity"
    metres: Annotated[FiniteFloat, Field(ge=0, le=1e4)] = 0.02
    passes: Annotated[int, Field(ge=0, le=16)] = 1

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size / 400)), cls.ends


def _on(body: Body, wanted: CavityMeasure, progress: Progress) -> F32:
    graph = body.graph
    values = _rise(graph.positions, body.points.normals, graph.offsets, graph.fans)
    for number in range(wanted.passes):
        progress(number / wanted.passes)
        values = body.spread(values, wanted.metres)
    return body.of_points(values)


CAVITY = measure(CavityMeasure, on=_on, ground=True)
