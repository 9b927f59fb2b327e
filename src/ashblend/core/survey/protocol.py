"""What a measure is."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.source_document import SourceDocument


@dataclass(frozen=True, eq=False)
class Ground:
    """heights: (rows, cols) metres at corners. spacing: metres between them."""

    heights: F32
    spacing: float


class MeasureDocument(SourceDocument):
    """Settings of a measure. It lies in the ground, so warping its place would be warping the ground."""

    live: ClassVar[bool] = False

    kind: str


@dataclass(frozen=True)
class Measure:
    """kind: as in its document. over: (rows, cols) float32 at corners, in the document's unit."""

    kind: str
    document: type[MeasureDocument]
    over: Callable[[Ground, Any, Progress], F32]


def measure(document: type[MeasureDocument], over: Callable[[Ground, Any, Progress], F32]) -> Measure:
    return Measure(str(document.model_fields["kind"].default), document, over)
