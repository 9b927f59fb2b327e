"""How much ground drains through a place: where streams run."""

from typing import ClassVar, Literal

import numpy as np

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.source_document import Unit
from ashblend.core.survey.flow import flood, gathered
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure


def upstream_area(ground: Ground) -> F32:
    """(rows, cols) m² that drain through each place, its own cell among them. Source: see `flow`."""
    return gathered(*flood(ground.heights)) * np.float32(ground.spacing**2)


class UpstreamMeasure(MeasureDocument):
    title: ClassVar[str] = "Streams"
    about: ClassVar[str] = "How much ground drains through a place, in m²: streams run where it is much"
    unit: ClassVar[Unit] = "m²"
    ends: ClassVar[tuple[float, float]] = (500.0, 5000.0)

    kind: Literal["upstream"] = "upstream"


def _over(ground: Ground, _: UpstreamMeasure, __: Progress) -> F32:
    return upstream_area(ground)


UPSTREAM = measure(UpstreamMeasure, _over)
