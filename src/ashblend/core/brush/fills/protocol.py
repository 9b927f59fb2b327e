"""What a fill is."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Annotated, Protocol

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.arrays import F64, I32
from ashblend.core.sites.protocol import Sites

Unit = Annotated[FiniteFloat, Field(ge=0, le=1)]
Metres = Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]


@dataclass(frozen=True)
class FillView:
    """What a fill may look at.

    values: (sites,) of the channel, 0..1. border: points on a named group's border, or on open
    edges for None. source: (sites,) of another channel, for mixing.
    """

    sites: Sites
    values: F64
    border: Callable[[str | None], I32]
    source: F64 | None = field(default=None)


@dataclass(frozen=True)
class Wanted:
    """Paint toward `target` (0..1, scalar or per site) by `weight`; target None lifts the paint off."""

    target: F64 | float | None
    weight: F64 | float = 1.0


class Fill(Protocol):
    """Settings of a fill that know what they want."""

    def wanted(self, view: FillView) -> Wanted: ...

    def label(self, name: str) -> str:
        """For the history: what was done to the channel called name."""
        ...


class FillSettings(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
