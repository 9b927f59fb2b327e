"""Where a place lies along an axis, from the low end of the surface or of its own part: roots stay still, tips sway. Or how
far it lies from the axis through the middle.

The long axis is that of the greatest spread of the sites (Pearson 1901, Philosophical Magazine 2(11)).
"""

from itertools import pairwise
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.survey.body import Body
from ashblend.core.survey.pieces import part_of_sites
from ashblend.core.survey.protocol import MeasureDocument, measure

Metres = Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]
Place = tuple[Metres, Metres, Metres]
PICKED = "a picked line"
AXES = {"X": 0, "Y (up)": 1, "Z": 2}


class AlongMeasure(MeasureDocument):
    """axis: which way. line: places in metres, for a picked one. way: along it from the low end, or away from it. of: of what. told: 0 to 1, or metres."""

    title: ClassVar[str] = "Along an axis"
    about: ClassVar[str] = (
        "How far along an axis a place lies, from the low end of the surface or of its own part"
    )
    ends: ClassVar[tuple[float, float]] = (0.0, 1.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="axis",
            title="Axis",
            about="Which way",
            choices=("X", "Y (up)", "Z", "the long one", PICKED),
        ),
        Setting(
            key="line",
            title="Line",
            about="Places on the surface, one after another",
            pick="places",
            only=("axis", (PICKED,)),
        ),
        Setting(
            key="way",
            title="Way",
            about="Along it from its low end, or outward from it; an axis runs through the middle",
            choices=("along it", "outward"),
        ),
        Setting(
            key="of",
            title="Of",
            about="Whose low end or middle",
            choices=("the whole", "each part"),
            only=("axis", ("X", "Y (up)", "Z", "the long one")),
        ),
        Setting(
            key="told", title="As", about="Metres, or 0 to 1 from end to end", choices=("a share", "metres")
        ),
    )

    kind: Literal["along"] = "along"
    axis: Literal["X", "Y (up)", "Z", "the long one", "a picked line"] = "Y (up)"
    line: Annotated[tuple[Place, ...], Field(max_length=64)] = ()
    way: Literal["along it", "outward"] = "along it"
    of: Literal["the whole", "each part"] = "the whole"
    told: Literal["a share", "metres"] = "a share"

    @property
    def lacks(self) -> str:
        return "Pick two places or more." if self.axis == PICKED and len(self.line) < 2 else ""


def _by_line(body: Body, wanted: AlongMeasure) -> F64:
    """(k,) metres along a line of straight pieces to what of it is closest (Ericson 2005, 5.1.2), or from there."""
    places, corners = body.positions.astype(np.float64), np.array(wanted.line) - body.middle
    closest, along, begun = np.full(places.shape[0], np.inf), np.zeros(places.shape[0]), 0.0
    for one, other in pairwise(corners):
        step = other - one
        length = float(np.linalg.norm(step))
        share = np.clip((places - one) @ step / max(length**2, 1e-18), 0, 1)
        far = np.linalg.norm(places - one - share[:, None] * step, axis=1)
        nearer = far < closest
        closest[nearer] = far[nearer]
        along[nearer] = begun + share[nearer] * length
        begun += length
    if wanted.way == "outward":
        return closest / max(float(closest.max()), 1e-12) if wanted.told == "a share" else closest
    return along / max(begun, 1e-12) if wanted.told == "a share" else along


def _direction(body: Body, axis: str) -> F64:
    if axis in AXES:
        return np.eye(3)[AXES[axis]]
    spread = np.cov(body.mesh.positions.astype(np.float64).T)
    long = np.linalg.eigh(spread)[1][:, -1]
    # From either end it is as long: it points the way that its largest part does.
    return np.asarray(long * np.sign(long[np.argmax(np.abs(long))]))


def _on(body: Body, wanted: AlongMeasure, _: Progress) -> F32:
    if wanted.axis == PICKED:
        return body.on_all(_by_line(body, wanted))
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


ALONG = measure(AlongMeasure, on=_on, ground=True)
