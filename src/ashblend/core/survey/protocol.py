"""What a measure is."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Self
from uuid import UUID

from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.source_document import SourceDocument
from ashblend.core.survey.body import Body
from ashblend.core.survey.lent import ChannelOf


@dataclass(frozen=True, eq=False)
class Ground:
    """heights: (rows, cols) metres at corners. spacing: metres between them."""

    heights: F32
    spacing: float


def round_length(metres: float) -> float:
    """The nearest of 1, 2 and 5 of a power of ten, from a micrometre to ten kilometres."""
    metres = min(max(metres, 1e-6), 1e4)
    power = 10.0 ** math.floor(math.log10(metres))
    return float(min((step * power for step in (1, 2, 5, 10)), key=lambda step: abs(math.log(step / metres))))


SPREAD = Setting(
    key="spread",
    title="Spread",
    about="How far it is evened out along the surface",
    low=0,
    high=2,
    unit="m",
)


class MeasureDocument(SourceDocument):
    """Settings of a measure. It lies in the surface, so warping its place would be warping the surface.

    spread: metres along the surface over which what was measured is evened out (standard deviation).
    """

    live: ClassVar[bool] = False
    # Whether evening it out is left to `spread`.
    spreads: ClassVar[bool] = True
    # Whether a coarse stand-in of the surface tells about the same: folds and next sites do not.
    coarsely: ClassVar[bool] = False

    kind: str
    spread: Annotated[FiniteFloat, Field(ge=0, le=1e4)] = 0.0

    @property
    def itself(self) -> Self:
        """The measure before it is spread."""
        return self.model_copy(update={"spread": 0.0}) if self.spread else self

    @property
    def amid(self) -> bool:
        """Whether it asks what stands around the surface."""
        return False

    @property
    def whom(self) -> UUID | None:
        """The one surface of those around that it asks; None for all."""
        return None

    @property
    def reads(self) -> ChannelOf | None:
        """The channel that it is measured from, besides the shape."""
        return None

    @property
    def by_faces(self) -> bool:
        """Whether it asks for the groups of the faces or their order, and not only for the shape that they have."""
        return False

    @property
    def lacks(self) -> str:
        """What has still to be picked before it can be measured; empty for nothing."""
        return ""

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        """What to begin with on a mesh of so many metres, corner to corner: settings, and ends of the ramp."""
        return cls.model_validate({}), cls.ends

    @property
    def rough(self) -> Self | None:
        """The same, quicker and coarser, to be shown first; None where it is quick as it is."""
        return None

    @property
    def glimpse(self) -> Self:
        """The same as it is asked of a coarse stand-in."""
        return self.itself


OverGround = Callable[[Ground, Any, Progress], F32]
OnBody = Callable[[Body, Any, Progress], F32]


@dataclass(frozen=True)
class Measure:
    """kind: as in its document. over: of terrain, (rows, cols) float32 at corners. on: of a body, (extent,) float32 by
    numbers of its sites. Both in the document's unit; None where there is none of this kind. ground: `on` is asked of
    terrain, too, as a mesh of its heights.
    """

    kind: str
    document: type[MeasureDocument]
    over: OverGround | None
    on: OnBody | None
    ground: bool

    @property
    def of_meshes(self) -> bool:
        return self.on is not None

    @property
    def of_terrain(self) -> bool:
        return self.over is not None or self.ground


def measure(
    document: type[MeasureDocument],
    over: OverGround | None = None,
    on: OnBody | None = None,
    *,
    ground: bool = False,
) -> Measure:
    return Measure(str(document.model_fields["kind"].default), document, over, on, ground)
