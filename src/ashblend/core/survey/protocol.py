"""What a measure is."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.source_document import SourceDocument
from ashblend.core.survey.body import Body


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


class MeasureDocument(SourceDocument):
    """Settings of a measure. It lies in the surface, so warping its place would be warping the surface."""

    live: ClassVar[bool] = False

    kind: str

    @property
    def amid(self) -> bool:
        """Whether it asks what stands around the surface."""
        return False

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        """What to begin with on a mesh of so many metres, corner to corner: settings, and ends of the ramp."""
        return cls.model_validate({}), cls.ends

    @property
    def rough(self) -> Self | None:
        """The same, quicker and coarser, to be shown first; None where it is quick as it is."""
        return None


OverGround = Callable[[Ground, Any, Progress], F32]
OnBody = Callable[[Body, Any, Progress], F32]


@dataclass(frozen=True)
class Measure:
    """kind: as in its document. over: of terrain, (rows, cols) float32 at corners. on: of a mesh, (extent,) float32 by
    numbers of its sites. Both in the document's unit; None where there is none of this kind.
    """

    kind: str
    document: type[MeasureDocument]
    over: OverGround | None
    on: OnBody | None


def measure(
    document: type[MeasureDocument], over: OverGround | None = None, on: OnBody | None = None
) -> Measure:
    return Measure(str(document.model_fields["kind"].default), document, over, on)
