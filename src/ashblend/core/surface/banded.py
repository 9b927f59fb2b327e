"""A first blend of a terrain, from its heights, slopes and water: bands with ramps at quantiles of this very ground.

Where the ramps lie: common practice; a band begins where a fifth to a tenth of the ground lies beyond it, so that each
is seen and none takes all. The gentle ground is the blend's own; the others cover it, and each other, in this order.
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, F64
from ashblend.core.recipe.document import Recipe, Term
from ashblend.core.recipe.sources.height import HeightSource
from ashblend.core.recipe.sources.slope import SlopeSource
from ashblend.core.survey.protocol import Ground
from ashblend.core.survey.wetness import WetnessMeasure, wetness
from ashblend.core.terrain.lie import slopes

GENTLE = "Gentle"
# Ground is at least so steep, in degrees, where it is called steep, and at most where it is called flat. From memory: loose
# ground rests at some 30 to 40 degrees, and is bare well before.
STEEP, FLAT = 24.0, 14.0
# So many heights along an edge say as much of the ground's quantiles as all.
ENOUGH = 1024


@dataclass(frozen=True)
class Band:
    """recipe: where it lies; None for what is left. about: in words. called: what fitting materials may be called.

    coats: it can be a thin coat of water, without a material.
    """

    name: str
    about: str
    recipe: Recipe | None
    called: tuple[str, ...]
    coats: bool = False

    def suits(self, material: str) -> bool:
        """Whether a material's name says that it belongs here."""
        return any(word in material.lower() for word in self.called)


def _rounded(value: float, step: float) -> float:
    return float(round(value / step) * step)


def _between(values: F32 | F64, low: float, high: float) -> tuple[float, float]:
    first, last = (float(v) for v in np.quantile(values, [low, high]))
    return first, last


def bands(heights: F32, spacing: float) -> tuple[Band, ...]:
    """The bands of a terrain, from the ground up. heights: (rows, cols) metres."""
    stride = max(1, -(-max(heights.shape) // ENOUGH))
    some = np.ascontiguousarray(heights[::stride, ::stride])
    ground = Ground(some, spacing * stride)
    steep = slopes(some, ground.spacing)
    wet = wetness(ground)
    low, high = float(some.min()), float(some.max())
    step = max(0.1, _rounded((high - low) / 200, 0.1))
    flat_none, flat_full = _between(some, 0.34, 0.20)
    gentle_none = min(max(_rounded(float(np.quantile(steep, 0.5)), 1), 6.0), FLAT)
    wet_none, wet_full = (_rounded(v, 0.1) for v in _between(wet, 0.86, 0.95))
    steep_none = max(_rounded(float(np.quantile(steep, 0.78)), 1), STEEP)
    steep_full = max(_rounded(float(np.quantile(steep, 0.92)), 1), steep_none + 4)
    high_none, high_full = _between(some, 0.84, 0.94)

    def by_height(none: float, full: float) -> Term:
        return Term(source=HeightSource(), low=_rounded(none, step), high=_rounded(full, step))

    level = Term(source=SlopeSource(), low=gentle_none + 6, high=gentle_none, op="multiply")
    return (
        Band(GENTLE, "What the others leave", None, ("grass", "heath", "meadow", "moss", "soil", "earth")),
        Band(
            "Low and flat",
            "The lowest ground, where it is level",
            Recipe(terms=(by_height(flat_none, flat_full), level)),
            ("sand", "shingle", "silt", "gravel", "beach", "mud"),
        ),
        Band(
            "Wet",
            "Where much drains through",
            Recipe(terms=(Term(source=WetnessMeasure(), low=wet_none, high=max(wet_full, wet_none + 0.1)),)),
            ("silt", "wrack", "mud", "water", "peat"),
            coats=True,
        ),
        Band(
            "High",
            "The highest ground",
            Recipe(terms=(by_height(high_none, high_full),)),
            ("rime", "snow", "ice", "scree", "lichen"),
        ),
        Band(
            "Steep",
            "Where little holds",
            Recipe(terms=(Term(source=SlopeSource(), low=steep_none, high=steep_full),)),
            ("rock", "cliff", "stone", "granite", "lichen"),
        ),
    )


def fitting(found: tuple[Band, ...], materials: list[str]) -> list[int]:
    """For each band the number of a material that suits it by name and that no other has; else of the next free one."""
    free = list(range(len(materials)))
    chosen: dict[int, int] = {}
    for number, band in enumerate(found):
        suits = next((m for m in free if band.suits(materials[m])), None)
        if suits is not None:
            chosen[number] = suits
            free.remove(suits)
    for number in range(len(found)):
        if number not in chosen:
            chosen[number] = free.pop(0) if free else 0
    return [chosen[number] for number in range(len(found))]
