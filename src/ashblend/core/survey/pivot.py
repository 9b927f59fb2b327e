"""Where each connected part is rooted, one axis at a time: three channels of it let a shader turn parts about their roots.

A root is the mean of a part's sites in the lowest twentieth of its height.
"""

from typing import ClassVar, Literal

import numpy as np

from ashblend.core.arrays import F32, I32, Mask
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.survey.along import AXES
from ashblend.core.survey.body import Body
from ashblend.core.survey.pieces import part_of_sites
from ashblend.core.survey.protocol import MeasureDocument, measure

LOWEST = 0.05


class PivotMeasure(MeasureDocument):
    """axis: which coordinate of the root. told: 0 to 1 through the surface's box, or metres from its low side."""

    title: ClassVar[str] = "Root of each part"
    about: ClassVar[str] = "Where the low end of its connected part lies along an axis; three make a pivot"
    ends: ClassVar[tuple[float, float]] = (0.0, 1.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(key="axis", title="Axis", about="Which coordinate", choices=("X", "Y (up)", "Z")),
        Setting(
            key="told",
            title="As",
            about="0 to 1 through the surface's box, or metres from its low side",
            choices=("a share", "metres"),
        ),
    )

    kind: Literal["pivot"] = "pivot"
    axis: Literal["X", "Y (up)", "Z"] = "X"
    told: Literal["a share", "metres"] = "a share"


def first_of(numbers: I32) -> Mask:
    """(k,) whether each is the first that has its number."""
    first = np.zeros(numbers.shape[0], bool)
    first[np.unique(numbers, return_index=True)[1]] = True
    return first


def _on(body: Body, wanted: PivotMeasure, _: Progress) -> F32:
    part = part_of_sites(body)
    count = int(part.max(initial=0)) + 1
    at, up = (body.positions.astype(np.float64)[:, AXES[axis]] for axis in (wanted.axis, "Y (up)"))
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, part, up)
    np.maximum.at(high, part, up)
    # A place counts once, however many vertices an exporter or a hard border made of it.
    rooted = (up <= (low + LOWEST * (high - low))[part]) & first_of(body.spots.numbers)
    sums = np.bincount(part, np.where(rooted, at, 0), count)
    roots = sums / np.maximum(np.bincount(part, rooted, count), 1)
    metres = roots - at.min()
    wide = float(np.ptp(at))
    if wanted.told == "a share":
        metres = metres / wide if wide > 0 else np.zeros(count)
    return body.on_all(metres[part])


PIVOT = measure(PivotMeasure, on=_on)
