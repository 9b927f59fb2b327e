"""How open a place is: the part of the half-sphere over it that nothing near hides, weighted by the cosine.

Source: Landis (2002), "Production-ready global illumination", SIGGRAPH course 16; the rays are those of rays.py. 64 of
them are off by 0.02 on average in a right corner.
"""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length
from ashblend.core.survey.rays import GLIMPSED, ROUGHLY, rays_setting


def falls_to(floor: float, origins: F32, directions: F32) -> F32:
    """(n,) metres along each ray to level ground at a height, from above; infinite for none."""
    with np.errstate(divide="ignore", invalid="ignore"):
        way = (np.float32(floor) - origins[:, 1]) / directions[:, 1]
    return np.where((directions[:, 1] < 0) & (way >= 0), way, np.float32(np.inf)).astype(np.float32)


class OcclusionMeasure(MeasureDocument):
    """metres: what is farther hides nothing. floor: level ground lies under it, at floor_height. by: what hides."""

    title: ClassVar[str] = "Occlusion"
    about: ClassVar[str] = "How open a place is: 1 on a plain, ½ in a right corner, 0 where nothing gets in"
    ends: ClassVar[tuple[float, float]] = (0.85, 0.35)
    coarsely: ClassVar[bool] = True
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="metres",
            title="Within",
            about="What is farther hides nothing",
            low=0.01,
            high=100,
            unit="m",
            logarithmic=True,
        ),
        Setting(key="by", title="Hidden by", about="What hides", choices=("itself", "neighbours, too")),
        Setting(key="floor", title="Ground", about="Level ground under it", choices=("none", "level ground")),
        Setting(
            key="floor_height",
            title="Ground at",
            about="Its height",
            low=-10,
            high=10,
            unit="m",
            only=("floor", ("level ground",)),
        ),
        rays_setting(16, 512),
    )

    kind: Literal["occlusion"] = "occlusion"
    metres: Annotated[FiniteFloat, Field(gt=0, le=1e5)] = 2.0
    by: Literal["itself", "neighbours, too"] = "itself"
    floor: Literal["none", "level ground"] = "none"
    floor_height: Annotated[FiniteFloat, Field(ge=-1e5, le=1e5)] = 0.0
    rays: Annotated[int, Field(ge=1, le=1024)] = 64

    @property
    def amid(self) -> bool:
        return self.by == "neighbours, too"

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size / 4)), cls.ends

    @property
    def rough(self) -> Self | None:
        return self.model_copy(update={"rays": ROUGHLY}) if self.rays > ROUGHLY else None

    @property
    def glimpse(self) -> Self:
        return self.itself.model_copy(update={"rays": min(self.rays, GLIMPSED)})


def _on(body: Body, wanted: OcclusionMeasure, progress: Progress) -> F32:
    floor = wanted.floor_height - float(body.middle[1]) if wanted.floor != "none" else None

    def summed(_: slice, origins: F32, directions: F32, far: F32) -> F64:
        if floor is not None:
            far = np.minimum(far, falls_to(floor, origins, directions))
        return np.asarray((far >= wanted.metres).reshape(-1, wanted.rays).mean(axis=1), np.float64)

    rays = body.amid if wanted.amid else body.alone
    open_share = rays.over(
        rays.distances, body.spots, body.normals, wanted.rays, 0.0, True, body.lift, summed, progress
    )
    return body.on_all(open_share)


OCCLUSION = measure(OcclusionMeasure, on=_on, ground=True)
