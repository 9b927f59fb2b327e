"""From stored numbers to a terrain: which heights they mean, what is wrong with them, and what is done about it."""

from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

from ashblend.core.arrays import F32
from ashblend.core.terrain.holes import hole_count, known_heights, mended
from ashblend.core.terrain.resample import resampled
from ashblend.core.terrain.soften import softened
from ashblend.core.terrain.terrain import Terrain, terrain_of

MOST_EDGE = 8193
# Whole ground at one end of what can be stored is cut off, not flat by chance.
CLIPPED = 0.001
# A terrain that begins with whole numbers: as steep as real ground is on the whole.
USUAL_RISE = 0.2
ROWS = 256
# Heights along an edge of what is only looked at, from above and small.
LOOKED_AT = 640

Edge = Annotated[int, Field(ge=2, le=MOST_EDGE)]
Metres = Annotated[FiniteFloat, Field(ge=-1e5, le=1e5)]


class Crop(BaseModel):
    """left, top: first column and row that stay."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    left: Annotated[int, Field(ge=0, le=MOST_EDGE)]
    top: Annotated[int, Field(ge=0, le=MOST_EDGE)]
    cols: Edge
    rows: Edge


class Resample(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    cols: Edge
    rows: Edge


class Taking(BaseModel):
    """How stored numbers are taken.

    spacing: metres between neighbours, as stored. low, high: metres that the least and the greatest whole number
    mean; of floats, what 0 and 1 mean. crop, then resample. mend: holes are filled. soften: steps are.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    spacing: Annotated[FiniteFloat, Field(ge=0.001, le=1000)] = 1.0
    low: Metres = 0.0
    high: Metres = 1.0
    crop: Crop | None = None
    resample: Resample | None = None
    mend: bool = False
    soften: bool = False

    @model_validator(mode="after")
    def _has_range(self) -> "Taking":
        if self.low == self.high:
            raise ValueError("the lowest and the highest height are the same")
        return self


@dataclass(frozen=True)
class GridFacts:
    """What stored numbers are like. holes: that are no numbers. clipped_low, clipped_high: shares of the ground.

    steps: different heights that there are, where they are so few that they show; else 0.
    """

    rows: int
    cols: int
    least: float
    greatest: float
    holes: int
    clipped_low: float
    clipped_high: float
    steps: int


def grid_facts(values: NDArray[Any], most: int | None) -> GridFacts:
    """most: see `Grid`."""
    if most is None:
        holes = hole_count(values)
        known = values[known_heights(values)] if holes else values
        least, greatest = (float(known.min()), float(known.max())) if known.size else (0.0, 0.0)
        return GridFacts(values.shape[0], values.shape[1], least, greatest, holes, 0.0, 0.0, 0)
    least, greatest = int(values.min()), int(values.max())
    at_ends = [float((values == end).mean()) if end in (least, greatest) else 0.0 for end in (0, most)]
    clipped = [share if share > CLIPPED and least < greatest else 0.0 for share in at_ends]
    steps = int(np.unique(values).shape[0]) if most == 255 or greatest - least < 256 else 0
    return GridFacts(
        values.shape[0], values.shape[1], float(least), float(greatest), 0, clipped[0], clipped[1], steps
    )


def first_taking(facts: GridFacts, most: int | None) -> Taking:
    """What to begin with. Whole numbers say nothing of metres: a height that ground of this width usually has."""
    if most is None:
        return Taking(mend=facts.holes > 0)
    width = max(facts.rows, facts.cols) - 1
    stored = max(facts.greatest - facts.least, 1.0) / most
    top = USUAL_RISE * width / stored
    rounded = float(f"{top:.1g}")
    return Taking(high=min(max(rounded, 1.0), 1e5), soften=facts.steps > 0)


def _metres(values: NDArray[Any], most: int | None, taking: Taking) -> F32:
    unit = (taking.high - taking.low) / (most or 1)
    if most is None and (taking.low, taking.high) == (0.0, 1.0):
        return values
    out = np.empty(values.shape, np.float32)
    with np.errstate(over="ignore", invalid="ignore"):
        # Some rows at a time: as float64 the whole would take four times what was stored.
        for begin in range(0, values.shape[0], ROWS):
            rows = slice(begin, begin + ROWS)
            out[rows] = values[rows].astype(np.float64) * unit + taking.low
    return out


def looked_at(taking: Taking) -> Taking:
    """The same for a small picture of it: whatever its holes, and no finer than the picture shows."""
    changes: dict[str, Any] = {"mend": True}
    if taking.resample is not None:
        wanted = taking.resample
        share = min(1.0, LOOKED_AT / max(wanted.cols, wanted.rows))
        cols, rows = (1 + max(1, round((count - 1) * share)) for count in (wanted.cols, wanted.rows))
        changes["resample"] = Resample(cols=cols, rows=rows)
    return taking.model_copy(update=changes)


def taken(values: NDArray[Any], most: int | None, taking: Taking) -> Terrain:
    """The terrain that stored numbers (rows, cols) make. Raises ValueError in words for the artist."""
    spacing = taking.spacing
    if taking.crop is not None:
        crop = taking.crop
        if crop.left + crop.cols > values.shape[1] or crop.top + crop.rows > values.shape[0]:
            raise ValueError("The crop reaches beyond the terrain.")
        values = values[crop.top : crop.top + crop.rows, crop.left : crop.left + crop.cols]
    heights = _metres(values, most, taking)
    if hole_count(heights):
        if not taking.mend:
            raise ValueError(f"There are {hole_count(heights):,} holes without a height.")
        heights = mended(heights)
    if taking.soften and most is not None:
        heights = softened(heights, abs(taking.high - taking.low) / most)
    if taking.resample is not None:
        wanted = taking.resample
        across, down = (heights.shape[1] - 1) * spacing, (heights.shape[0] - 1) * spacing
        heights = resampled(heights, wanted.rows, wanted.cols)
        spacing = across / (wanted.cols - 1)
        if abs(spacing - down / (wanted.rows - 1)) > 1e-3 * spacing:
            raise ValueError(
                f"{wanted.cols} × {wanted.rows} heights over {across:g} × {down:g} m would lie farther apart one way than the other."
            )
    return terrain_of(heights, spacing)
