"""Ridges and hollows at a scale."""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.survey.bend import bend
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure, round_length


def curvature(heights: F32, spacing: float) -> F32:
    """(rows, cols) curvature in 1/m, positive on ridges: −2 (D + E) of the surface through nine heights.

    Source: Zevenbergen and Thorne (1987), Earth Surface Processes and Landforms 12(1), 47-56.
    """
    padded = np.pad(heights.astype(np.float64), 1, mode="reflect", reflect_type="odd")
    middle = padded[1:-1, 1:-1]
    D = (padded[1:-1, :-2] + padded[1:-1, 2:]) / 2 - middle
    E = (padded[:-2, 1:-1] + padded[2:, 1:-1]) / 2 - middle
    return (-2 * (D + E) / spacing**2).astype(np.float32)


class ConvexityMeasure(MeasureDocument):
    """metres: size of the ridges and hollows that count. side: which of the two is positive."""

    title: ClassVar[str] = "Ridges, hollows"
    about: ClassVar[str] = (
        "How sharply the surface is bent at a scale: 0 even, 1 as round as a ball of that size"
    )
    ends: ClassVar[tuple[float, float]] = (0.02, 0.2)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="metres",
            title="Scale",
            about="Size of the ridges and hollows that count",
            low=0.01,
            high=500,
            unit="m",
            logarithmic=True,
        ),
        Setting(key="side", title="Side", about="Which of the two counts", choices=("ridges", "hollows")),
    )

    kind: Literal["convexity"] = "convexity"
    metres: Annotated[FiniteFloat, Field(gt=0, le=10_000)] = 8.0
    side: Literal["ridges", "hollows"] = "ridges"

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size / 20)), cls.ends


def _over(ground: Ground, wanted: ConvexityMeasure, _: Progress) -> F32:
    from scipy.ndimage import gaussian_filter

    # Half a feature is two standard deviations wide.
    width = wanted.metres / 4 / ground.spacing
    even = (
        gaussian_filter(ground.heights, width, mode="nearest", truncate=3.0)
        if width > 0.1
        else ground.heights
    )
    sign = 1.0 if wanted.side == "ridges" else -1.0
    # A ball of diameter d has a curvature of 2 · 2 / d in all.
    return curvature(even, ground.spacing) * np.float32(sign * wanted.metres / 4)


def _on(body: Body, wanted: ConvexityMeasure, _: Progress) -> F32:
    even = body.spread(bend(body.graph, body.points.normals), wanted.metres / 4)
    sign = 1.0 if wanted.side == "ridges" else -1.0
    return body.of_points(even * sign * wanted.metres / 4)


CONVEXITY = measure(ConvexityMeasure, _over, _on)
