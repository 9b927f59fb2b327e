"""How far what is around a place rises over it: dirt that gathers in cavities.

The mean angle at which the surface stands over the plane of a place, a little way off on all sides, told from how the
surface bends (bend.py) at a scale in metres: what bends by K in all there rises by √(2/π) σ K, which in a fold of angle β
is β/π, the mean of the rise over all directions (geometry of a fold; from memory). Where sites lie wider
than that they hold the mean of what lies between them.

Tried: the mean rise of the very next sites, as is common practice; it grew 1.9 times when the sites' distance doubled,
and scattered by 0.4 to 2.8 of its own range among sites that were.
"""

from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat, model_validator

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.source_document import Unit
from ashblend.core.survey.bend import bend
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length

# Metres, for documents of before that looked no farther than to the next site.
NEXT = 0.001


class CavityMeasure(MeasureDocument):
    """metres: size of the cavities."""

    title: ClassVar[str] = "Cavity dirt"
    about: ClassVar[str] = "The mean angle at which what is around a place stands over it; below 0° on ridges"
    unit: ClassVar[Unit] = "°"
    ends: ClassVar[tuple[float, float]] = (1.0, 15.0)
    spreads: ClassVar[bool] = False
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="metres",
            title="Reach",
            about="How far around is looked",
            low=0.001,
            high=1,
            unit="m",
            logarithmic=True,
        ),
    )

    kind: Literal["cavity"] = "cavity"
    metres: Annotated[FiniteFloat, Field(gt=0, le=1e4)] = 0.02

    @model_validator(mode="before")
    @classmethod
    def _without_passes(cls, written: Any) -> Any:
        """Documents of before told how often it was evened out: n times over σ is once over σ √n."""
        if not isinstance(written, dict) or "passes" not in written:
            return written
        kept = {key: value for key, value in written.items() if key != "passes"}
        passes, metres = written["passes"], written.get("metres", 0.02)
        if isinstance(passes, int) and passes >= 0 and isinstance(metres, int | float) and metres >= 0:
            kept["metres"] = max(NEXT, metres * passes**0.5)
        return kept

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size / 400)), cls.ends


def _on(body: Body, wanted: CavityMeasure, _: Progress) -> F32:
    even = body.spread(bend(body.graph, body.points.normals), wanted.metres)
    return body.of_points(np.degrees(-even * wanted.metres * np.sqrt(2 / np.pi)))


CAVITY = measure(CavityMeasure, on=_on, ground=True)
