"""What an act is: for each point under a dab, the value that it is painted toward."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.brush.diffuse import Diffusion
from ashblend.core.brush.document import ActName, Brush
from ashblend.core.brush.resample import Dab
from ashblend.core.sites.protocol import Sites


class StrokeView(Protocol):
    """What an act may look at.

    kept: the stroke's own memory for an act, e.g. what it sampled at its first dab.
    """

    sites: Sites
    kept: dict[str, float]

    @property
    def diffusion(self) -> Diffusion: ...

    def start_values(self, points: I32) -> F64:
        """Values (k,) of points when the stroke began, 0..1."""
        ...

    def current_values(self, points: I32) -> F64:
        """Values (k,) of points now, 0..1."""
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
    """toward: for the dab's points (k,) at its radius. None: the paint is lifted instead.

    reach: how far points are gathered, in radii; those beyond one are looked at, not painted.
    live: works on what is there now and not on the stroke's start, so that it carries along.
    flips_to: what the act becomes when the artist flips the brush; itself: toward one minus the target.
    verb: for the history.
    """

    verb: str
    flips_to: ActName
    toward: Callable[[Brush, StrokeView, I32, Dab, float], Toward] | None
    reach: Callable[[Brush], float] = at_radius
    live: bool = False
