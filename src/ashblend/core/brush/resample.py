"""Pointer samples to dabs, evenly spaced along the stroke's path.

Devices report at very different rates, and browsers merge reports into events as they like.
Dabs are therefore placed by arc length: at the first sample, then each time the path has grown
by the spacing, which follows the radius that the pen drives. A pen that is pressed harder where it
stands makes dabs, too: one for each tenth of its pressure. What has not yet come to the next dab is
carried to the next call, so it makes no difference how the samples are split.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.brush.document import PointerSample


@dataclass(frozen=True)
class Dab:
    """One print of the brush.

    position, normal: (3,) float64; normal is unit. pressure, tilt: 0..1. direction: (3,) unit
    along the stroke, zero where it has none yet. step: (3,) from the dab before. number: from 0.
    """

    position: F64
    normal: F64
    pressure: float
    tilt: float
    direction: F64
    step: F64
    number: int


def _unit(vector: F64, otherwise: tuple[float, float, float]) -> F64:
    length = float(np.sqrt(vector @ vector))
    return vector / length if length > 0 else np.array(otherwise)


@dataclass(frozen=True)
class _Place:
    position: F64
    normal: F64
    pressure: float
    tilt: float


PRESSED = 0.1
# A pen that hardly touches would otherwise need endlessly many dabs.
LEAST_SPACING = 1 / 64


class TooManyDabs(ValueError):
    """More dabs than are wanted at once would lie along the way."""


class ArcLengthResampler:
    """Turns samples into dabs along the straight lines between samples.

    spacing: metres between dabs of the full radius. wider: what pressure and tilt make of the radius,
    a factor; the next dab comes after so much of the spacing.
    """

    def __init__(self, spacing: float, wider: Callable[[float, float], float] = lambda _, __: 1.0) -> None:
        self._spacing = spacing
        self._wider = wider
        self._last: _Place | None = None
        self._printed: _Place | None = None
        self._firmest: _Place | None = None
        self._to_next = 0.0
        self._count = 0
        self._left: int | None = None

    def push(self, samples: Iterable[PointerSample], most: int | None = None) -> list[Dab]:
        """The dabs that fall due with these further samples.

        Raises TooManyDabs as soon as there are more than most; no more can be pushed then.
        """
        dabs: list[Dab] = []
        self._left = most
        for sample in samples:
            here = _Place(np.array(sample.position), np.array(sample.normal), sample.pressure, sample.tilt)
            if self._last is None:
                dabs.append(self._dab(here, np.zeros(3)))
            else:
                dabs += self._along(self._last, here)
            self._last = here
        return dabs

    def end(self) -> list[Dab]:
        """A last dab where the pen was pressed harder than at the dab before, if it was."""
        firmest, self._left = self._firmest, None
        return [] if firmest is None else [self._dab(firmest, np.zeros(3))]

    def _dab(self, place: _Place, direction: F64) -> Dab:
        step = place.position - self._printed.position if self._printed is not None else np.zeros(3)
        self._printed, self._firmest = place, None
        self._to_next = self._spacing * max(self._wider(place.pressure, place.tilt), LEAST_SPACING)
        number = self._count
        self._count += 1
        if self._left is not None:
            self._left -= 1
            if self._left < 0:
                raise TooManyDabs
        normal = _unit(place.normal, (0.0, 1.0, 0.0))
        return Dab(place.position, normal, place.pressure, place.tilt, direction, step, number)

    def _due(self, a: _Place, b: _Place, length: float, t: float) -> float | None:
        """How far along from a (0) to b (1), beyond t, the next dab comes; None for not any more."""
        assert self._printed is not None
        by_way = t + self._to_next / length if length > 0 else np.inf
        rise = b.pressure - a.pressure
        wanted = self._printed.pressure + PRESSED
        by_force = max((wanted - a.pressure) / rise, t) if rise > 0 and b.pressure >= wanted else np.inf
        due = min(by_way, by_force)
        return due if due <= 1 else None

    def _along(self, a: _Place, b: _Place) -> list[Dab]:
        step = b.position - a.position
        length = float(np.sqrt(step @ step))
        direction = _unit(step, (0.0, 0.0, 0.0))
        dabs = []
        t = 0.0
        while (due := self._due(a, b, length, t)) is not None:
            between = _Place(
                a.position + due * step,
                # Normalised only once: the ends may be of any length.
                a.normal + due * (b.normal - a.normal),
                a.pressure + due * (b.pressure - a.pressure),
                a.tilt + due * (b.tilt - a.tilt),
            )
            dabs.append(self._dab(between, direction))
            t = due
        self._to_next -= (1 - t) * length
        self._keep_firmest(b)
        return dabs

    def _keep_firmest(self, here: _Place) -> None:
        assert self._printed is not None
        known = self._firmest or self._printed
        if here.pressure > known.pressure:
            self._firmest = here
