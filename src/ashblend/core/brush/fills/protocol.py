"""What a fill is."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Annotated, ClassVar, Literal, Protocol, Self

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.arrays import F64, U32
from ashblend.core.setting import Setting, share
from ashblend.core.sites.patch import Window

Unit = Annotated[FiniteFloat, Field(ge=0, le=1)]
# An axis of the world, or of the first UV set.
Way = Literal["x", "y", "z", "u", "v"]
Along = Callable[[Way, bool, U32], F64]
WEIGHT = share("weight", "Weight", "The weight painted toward")
AMOUNT = share("amount", "Amount", "How much of it")
Metres = Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]


class WholeSurface(Protocol):
    """What a fill may ask about more than the part it is working on. Answers are kept."""

    def from_border(self, group: str | None, farthest: float) -> F64:
        """Distance (extent,) along the surface from a named group's border, or from open edges for None.

        Infinite beyond `farthest`. Raises ValueError where there is no telling.
        """
        ...

    def evened(self, metres: float) -> F64:
        """The channel (extent,), blurred along the surface by so many metres of standard deviation."""
        ...

    def along(self, way: Way, each: bool, sites: U32) -> F64:
        """(k,) where sites lie between the ends, 0..1, of the whole or of each connected part.

        Raises ValueError where there is no telling.
        """
        ...


@dataclass(frozen=True)
class FillView:
    """Part of a surface as a fill sees it; fills are asked for a surface part by part.

    values: (k,) of the channel at the window's sites, 0..1. source: (k,) of another channel, for mixing.
    """

    window: Window
    values: F64
    whole: WholeSurface
    source: F64 | None = field(default=None)

    def along(self, way: Way, each: bool) -> F64:
        """(k,) see `WholeSurface`."""
        return self.whole.along(way, each, self.window.sites)


@dataclass(frozen=True)
class Wanted:
    """Paint toward `target` (0..1, scalar or per site) by `weight`; target None lifts the paint off."""

    target: F64 | float | None
    weight: F64 | float = 1.0


class Fill(Protocol):
    """Settings of a fill that know what they want."""

    @property
    def fills(self) -> frozenset[str]: ...

    def wanted(self, view: FillView) -> Wanted: ...

    def label(self, name: str) -> str:
        """For the history: what was done to the channel called name."""
        ...


@dataclass(frozen=True)
class Extent:
    """Where a surface lies, in metres. low, size: of its box. grain: between neighbouring sites."""

    low: tuple[float, float, float]
    size: tuple[float, float, float]
    grain: float

    @property
    def bottom(self) -> float:
        return self.low[1]

    @property
    def height(self) -> float:
        return self.size[1]

    @property
    def diagonal(self) -> float:
        return math.hypot(*self.size)


class FillSettings(BaseModel):
    """title, about: for the artist. fills: names of the kinds of value that it knows what to do to; empty for all."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: ClassVar[str]
    about: ClassVar[str]
    fills: ClassVar[frozenset[str]] = frozenset({"weight"})

    @classmethod
    def first(cls, of: Extent) -> Self:
        """What an artist begins with on a surface."""
        return cls()

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        """What can be set of it on a surface."""
        return ()

    def flipped(self) -> Self:
        """What it is while the artist flips the brush: toward one minus what it would go toward.

        Fills that go toward no weight of their own stay as they are.
        """
        return self
