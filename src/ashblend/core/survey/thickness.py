"""How thick the surface is under a place.

Rays inward in a cone, each as deep as it goes along the inward normal, and the mean of them: a slab is as thick as it
is, however the rays lean. Source of the cone: Shapira, Shamir and Cohen-Or (2008), The Visual Computer 24(4), who take
the rays' own lengths.
"""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64
from ashblend.core.progress import Progress
from ashblend.core.source_document import Setting, Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length
from ashblend.core.survey.rays import GLIMPSED, ROUGHLY, rays_setting


class ThicknessMeasure(MeasureDocument):
    """metres: thicker than that is as thick. width: degrees across the cone."""

    title: ClassVar[str] = "Thickness"
    about: ClassVar[str] = "How thick it is under a place, in metres: thin parts let light through and break"
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.2, 0.02)
    coarsely: ClassVar[bool] = True
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="metres",
            title="Up to",
            about="Thicker than that is as thick",
            low=0.01,
            high=20,
            unit="m",
            logarithmic=True,
        ),
        Setting(key="width", title="Width", about="Across the cone of rays", low=0, high=120, unit="°"),
        rays_setting(8, 256),
    )

    kind: Literal["thickness"] = "thickness"
    metres: Annotated[FiniteFloat, Field(gt=0, le=1e5)] = 1.0
    width: Annotated[FiniteFloat, Field(ge=0, le=170)] = 50.0
    rays: Annotated[int, Field(ge=1, le=1024)] = 32

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size / 4)), (round_length(size / 20), round_length(size / 200))

    @property
    def rough(self) -> Self | None:
        return self.model_copy(update={"rays": ROUGHLY}) if self.rays > ROUGHLY else None

    @property
    def glimpse(self) -> Self:
        return self.itself.model_copy(update={"rays": min(self.rays, GLIMPSED)})


def _on(body: Body, wanted: ThicknessMeasure, progress: Progress) -> F32:
    count = wanted.rays if wanted.width > 0 else 1
    inward = -body.normals

    def summed(span: slice, _: F32, directions: F32, far: F32) -> F64:
        along = np.einsum("kij,kj->ki", directions.reshape(-1, count, 3), inward[span])
        deep = np.minimum(far.reshape(-1, count) * along + np.float32(body.lift), np.float32(wanted.metres))
        return np.asarray(deep.mean(axis=1), np.float64)

    spread = float(np.cos(np.radians(wanted.width / 2)))
    return body.on_all(
        body.alone.over(body.spots, inward, count, spread, False, -body.lift, summed, progress)
    )


THICKNESS = measure(ThicknessMeasure, on=_on)
