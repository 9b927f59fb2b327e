"""How much of the sky around a direction is free: weather side and lee, light and shadow.

Rays even over the cone; a surface turned away from one hides it itself.
"""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64
from ashblend.core.bearing import toward
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.source_document import from_a_bearing
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length
from ashblend.core.survey.rays import GLIMPSED, ROUGHLY, rays_setting


class OpennessMeasure(MeasureDocument):
    """azimuth: degrees clockwise from north. tilt: degrees up from level. width: degrees across the cone."""

    title: ClassVar[str] = "Openness"
    about: ClassVar[str] = "How much of the sky around a direction is free: what rain, spray or light reaches"
    ends: ClassVar[tuple[float, float]] = (0.1, 0.9)
    coarsely: ClassVar[bool] = True
    settings: ClassVar[tuple[Setting, ...]] = (
        *from_a_bearing(),
        Setting(
            key="width",
            title="Width",
            about="Across the cone; 0 casts sharp shadows",
            low=0,
            high=180,
            unit="°",
        ),
        Setting(
            key="metres",
            title="Within",
            about="What is farther hides nothing",
            low=0.1,
            high=1000,
            unit="m",
            logarithmic=True,
        ),
        Setting(key="by", title="Hidden by", about="What hides", choices=("itself", "neighbours, too")),
        rays_setting(8, 256),
    )

    kind: Literal["openness"] = "openness"
    azimuth: Annotated[FiniteFloat, Field(ge=0, le=360)] = 240.0
    tilt: Annotated[FiniteFloat, Field(ge=-90, le=90)] = 35.0
    width: Annotated[FiniteFloat, Field(ge=0, le=180)] = 60.0
    metres: Annotated[FiniteFloat, Field(gt=0, le=1e5)] = 100.0
    by: Literal["itself", "neighbours, too"] = "itself"
    rays: Annotated[int, Field(ge=1, le=1024)] = 32

    @property
    def amid(self) -> bool:
        return self.by == "neighbours, too"

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size * 2)), cls.ends

    @property
    def rough(self) -> Self | None:
        return self.model_copy(update={"rays": ROUGHLY}) if self.rays > ROUGHLY else None

    @property
    def glimpse(self) -> Self:
        return self.itself.model_copy(update={"rays": min(self.rays, GLIMPSED)})


def openness_over(body: Body, wanted: OpennessMeasure, progress: Progress) -> F32:
    """(extent,) 0..1."""
    direction = toward(wanted.azimuth, wanted.tilt).astype(np.float32)
    axes = np.broadcast_to(direction, body.positions.shape).astype(np.float32)
    count = wanted.rays if wanted.width > 0 else 1
    normals = body.normals

    def summed(span: slice, _: F32, directions: F32, far: F32) -> F64:
        rays = directions.reshape(-1, count, 3)
        turned = np.einsum("kij,kj->ki", rays, normals[span]) > 0
        return np.asarray(((far.reshape(-1, count) >= wanted.metres) & turned).mean(axis=1), np.float64)

    rays = body.amid if wanted.amid else body.alone
    spread = float(np.cos(np.radians(wanted.width / 2)))
    return body.on_all(
        rays.over(rays.distances, body.spots, axes, count, spread, False, body.lift, summed, progress)
    )


OPENNESS = measure(OpennessMeasure, on=openness_over, ground=True)
