"""What a channel of another surface, or of a level, holds at the closest place: a detailed piece takes its weights from a
rough one, a post its silt from what it stands on.

Closest of the places that face the right way (closest.py), so that the far side of a wall lends nothing.
"""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.sites.closest import ClosestTree
from ashblend.core.survey.body import Body
from ashblend.core.survey.lent import ChannelOf
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length

STANDS, ON_TOP = "where it stands around", "with one origin"


class BorrowMeasure(MeasureDocument):
    """lender: whose weights. lies: where another surface is taken to be. metres: what is farther lends nothing. facing:
    degrees by which the two may look differently.
    """

    title: ClassVar[str] = "Borrow"
    about: ClassVar[str] = "What a channel of another surface or level holds at the closest place"
    ends: ClassVar[tuple[float, float]] = (0.0, 1.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(key="lender", title="From", about="The channel that lends its weights", pick="lender"),
        Setting(
            key="lies",
            title="Lies",
            about="Where the other surface is: on the same origin, or as Prepare has it stand around this one",
            choices=(ON_TOP, STANDS),
        ),
        Setting(
            key="metres",
            title="Within",
            about="What lies farther off lends nothing",
            low=0.001,
            high=50,
            unit="m",
            logarithmic=True,
        ),
        Setting(
            key="facing",
            title="Facing",
            about="How differently the two may face; 180 takes the closest place whatever it faces",
            low=10,
            high=180,
            unit="°",
        ),
    )

    kind: Literal["borrow"] = "borrow"
    lender: ChannelOf | None = None
    lies: Literal["with one origin", "where it stands around"] = "with one origin"
    metres: Annotated[FiniteFloat, Field(gt=0, le=1e5)] = 0.1
    facing: Annotated[FiniteFloat, Field(ge=0, le=180)] = 75.0

    @property
    def reads(self) -> ChannelOf | None:
        return self.lender and self.lender.model_copy(update={"stands": self.lies == STANDS})

    @property
    def lacks(self) -> str:
        return "" if self.lender else "Pick a channel to borrow from."

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size / 20)), cls.ends


def _on(body: Body, wanted: BorrowMeasure, progress: Progress) -> F32:
    lent = body.lent(wanted.reads)
    if lent.triangles.shape[0] == 0:
        return body.on_all(np.zeros(body.positions.shape[0], np.float32))
    corners = (lent.positions.astype(np.float64) - body.middle).astype(np.float32)
    tree = ClosestTree(corners, lent.triangles)
    asked = {} if wanted.facing >= 180 else {"normals": body.normals, "facing_limit": wanted.facing}
    hits = tree.closest(body.positions, progress=progress, **asked)  # type: ignore[arg-type]
    near = (hits.faces >= 0) & (hits.distances <= wanted.metres)
    values = np.zeros(body.positions.shape[0])
    values[near] = lent.at(lent.places(hits.faces[near].astype(np.uint32), hits.shares[near]))
    return body.on_all(values)


BORROW = measure(BorrowMeasure, on=_on, ground=True)
