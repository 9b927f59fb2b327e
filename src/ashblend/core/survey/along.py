"""Where a place lies along an axis, from the low end of the surface or of its own part: roots stay still, tips sway. Or how
far it lies from the axis through the middle.

The long axis is that of the greatest spread of the sites (Pearson 1901, Philosophical Magazine 2(11)).
"""

from typing import ClassVar, Literal

import numpy as np

from ashblend.core.arrays import F32, F64
from ashblend.core.progress import Progress
from ashblend.core.source_document import Setting
from ashblend.core.survey.body import Body
from ashblend.core.survey.pieces import part_of_sites
from ashblend.core.survey.protocol import MeasureDocument, measure

AXES = {"X": 0, "Y (up)": 1, "Z": 2}


class AlongMeasure(MeasureDocument):
    """axis: which way. way: along it from the low end, or away from it. of: of what. told: 0 to 1, or metres."""

    title: ClassVar[str] = "Along an axis"
    about: ClassVar[str] = (
        "How far along an axis a place lies, from the low end of the surface or of its own part"
    )
    ends: ClassVar[tuple[float, float]] = (0.0, 1.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(key="axis", title="Axis", about="Which way", choices=("X", "Y (up)", "Z", "the long one")),
        Setting(
            key="way",
            title="Way",
            about="Along the axis from the low end, or outward from it through the middle",
            choices=("along it", "outward"),
        ),
        Setting(key="of", title="Of", about="Whose low end or middle", choices=("the whole", "each part")),
        Setting(
            key="told", title="As", about="Metres, or 0 to 1 from end to end", choices=("a share", "metres")
        ),
    )

    kind: Literal["along"] = "along"
    axis: Literal["X", "Y (up)", "Z", "the long one"] = "Y (up)"
    way: Literal["along it", "outward"] = "along it"
    of: Literal["the whole", "each part"] = "the whole"
    told: Literal["a share", "metres"] = "a share"


def _direction(body: Body, axis: str) -> F64:
    if axis in AXES:
        return np.eye(3)[AXES[axis]]
    spread = np.cov(body.mesh.positions.astype(np.float64).T)
    long = np.linalg.eigh(spread)[1][:, -1]
    # From either end it is as long: it points the way that its largest part does.
    return np.asarray(long * np.sign(long[np.argmax(np.abs(long))]))


def _on(body: Body, wanted: AlongMeasure, _: Progress) -> F32:
    places, axis = body.positions.astype(np.float64), _direction(body, wanted.axis)
    part = part_of_sites(body) if wanted.of == "each part" else np.zeros(places.shape[0], np.int32)
    count = int(part.max(initial=0)) + 1
    at, low, high = places @ axis, np.full(count, np.inf), np.full(count, -np.inf)
    if wanted.way == "outward":
        # Through the middle of the box, which no vertex more or less moves.
        ends = np.full((2, count, 3), np.inf)
        np.minimum.at(ends[0], part, places)
        np.minimum.at(ends[1], part, -places)
        off = places - ((ends[0] - ends[1]) / 2)[part]
        at = np.linalg.norm(off - (off @ axis)[:, None] * axis, axis=1)
        low[:] = 0.0
    np.minimum.at(low, part, at)
    np.maximum.at(high, part, at)
    metres = at - low[part]
    if wanted.told == "metres":
        return body.on_all(metres)
    long = (high - low)[part]
    return body.on_all(np.divide(metres, long, out=np.zeros_like(metres), where=long > 0))


ALONG = measure(AlongMeasure, on=_on)
