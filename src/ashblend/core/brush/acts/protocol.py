"""What an act is: for each point under a dab, the value that it is painted toward."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from ashblend.core.arrays import F32, F64
from ashblend.core.brush.document import ActName, Brush
from ashblend.core.brush.resample import Dab
from ashblend.core.sites.patch import Graph, Patch


class StrokeView(Protocol):
    """One dab of a stroke: what an act may look at.

    patch: the points in reach. kept: the stroke's own memory for an act, e.g. what it sampled at its
    first dab.
    """

    @property
    def patch(self) -> Patch: ...

    @property
    def kept(self) -> dict[str, float]: ...

    @property
    def graph(self) -> Graph:
        """Who is next to whom in the patch, with those just outside."""
        ...

    def values(self, at_start: bool) -> F64:
        """Values (k,) of the points now, or when the stroke began, 0..1."""
        ...

    def values_with_rim(self, at_start: bool) -> F64:
        """The same with those of the graph's rim behind them."""
        ...

    def mean(self, length: float) -> F64:
        """Values (k,) when the stroke began, evened out over a distance in metres along the surface."""
        ...


@dataclass(frozen=True)
class Toward:
    """A site that held v is painted toward clamp(gain · v + offset); offsets: (points,)."""

    gain: float
    offsets: F32


def at_radius(_: Brush) -> float:
    return 1.0


@dataclass(frozen=True)
class Act:
    """toward: for the points of the dab's patch, at its radius. None: the paint is lifted instead.

    reach: how far points are gathered, in radii; those beyond one are looked at, not painted.
    live: works on what is there now and not on the stroke's start, so that it carries along.
    flips_to: what the act becomes when the artist flips the brush; itself: toward one minus the target.
    verb: for the history.
    """

    verb: str
    flips_to: ActName
    toward: Callable[[Brush, StrokeView, Dab, float], Toward] | None
    reach: Callable[[Brush], float] = at_radius
    live: bool = False
