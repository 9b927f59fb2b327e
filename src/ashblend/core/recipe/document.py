"""The recipe document."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, field_validator

from ashblend.core.curve import Curve
from ashblend.core.recipe.sources.channel import ChannelSource
from ashblend.core.recipe.sources.noise import Metres, Seed
from ashblend.core.recipe.sources.registry import Source

OpName = Literal["set", "multiply", "add", "subtract", "max", "min", "screen"]
MOST_TERMS = 24
Unit = Annotated[FiniteFloat, Field(ge=0, le=1)]


class Warp(BaseModel):
    """The place that a source is asked about is displaced by noise. by: metres, at most. metres: its features."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    by: Annotated[FiniteFloat, Field(ge=0, le=1e4)] = 0.1
    metres: Metres = 0.3
    seed: Seed = 1


class Uneven(BaseModel):
    """A term's strength is broken by noise. amount: how much of it the noise may take. metres: its features."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    amount: Unit = 0.5
    metres: Metres = 0.3
    seed: Seed = 2


class Term(BaseModel):
    """One step of a recipe.

    low, high: the source's values that become 0 and 1, in its own units; high below low falls, both
    alike make a clean step. curve: over the result, or None for straight. invert: one minus it.
    op: how it goes onto what the terms before made; amount: how much of that. on: whether it counts.
    id: what it is known by in its recipe, wherever it stands there.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: Annotated[str, Field(max_length=40)] = ""
    source: Source
    low: FiniteFloat = 0.0
    high: FiniteFloat = 1.0
    curve: Curve | None = None
    invert: bool = False
    warp: Warp | None = None
    uneven: Uneven | None = None
    op: OpName = "set"
    amount: Unit = 1.0
    on: bool = True


class Recipe(BaseModel):
    """Terms in order, from nothing."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    terms: Annotated[tuple[Term, ...], Field(max_length=MOST_TERMS)] = ()

    @field_validator("terms")
    @classmethod
    def _each_has_its_id(cls, terms: tuple[Term, ...]) -> tuple[Term, ...]:
        """The first free ones for terms that have none, or one that stands before: as older documents are read."""
        free = (name for n in range(1, 2 * MOST_TERMS + 1) if (name := f"t{n}") not in {t.id for t in terms})
        seen: set[str] = set()
        out = []
        for term in terms:
            known = term.id and term.id not in seen
            out.append(term if known else term.model_copy(update={"id": next(free)}))
            seen.add(out[-1].id)
        return tuple(out)


def of_channel(channel_set: UUID, channel: int) -> Recipe:
    """The recipe that is what one channel holds."""
    return Recipe(terms=(Term(source=ChannelSource(channel_set=channel_set, channel=channel)),))
