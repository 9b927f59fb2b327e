"""The recipe document."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.curve import Curve
from ashblend.core.recipe.sources import Source

OpName = Literal["set", "multiply", "add", "subtract", "max", "min", "screen"]
MOST_TERMS = 24


class Term(BaseModel):
    """One step of a recipe.

    low, high: the source's values that become 0 and 1, in its own units; high below low falls, both
    alike make a clean step. curve: over the result, or None for straight. invert: one minus it.
    op: how it goes onto what the terms before made; amount: how much of that.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    source: Source
    low: FiniteFloat = 0.0
    high: FiniteFloat = 1.0
    curve: Curve | None = None
    invert: bool = False
    op: OpName = "set"
    amount: Annotated[FiniteFloat, Field(ge=0, le=1)] = 1.0
    on: bool = True


class Recipe(BaseModel):
    """Terms in order, from nothing."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    terms: Annotated[tuple[Term, ...], Field(max_length=MOST_TERMS)] = ()
