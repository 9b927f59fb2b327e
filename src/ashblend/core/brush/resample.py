"""Pointer samples to dabs, evenly spaced along the stroke's path.

Devices report at very different rates, and browsers merge reports into events as they like.
Dabs are therefore placed by arc length: at the first sample, then each time the path has grown
by the spacing. What has not yet reached the next dab is carried to the next call, so it makes
no difference how the samples are split.
"""

from collections.abc import Iterable
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


class ArcLengthResampler:
    """Turns samples into dabs `spacing` metres apart along the straight lines between samples."""

    def __init__(self, spacing: float) -> None:
        self._spacing = spacing
        self._last: _Place | None = None
        self._printed: F64 | None = None
        self._to_next = 0.0
        self._count = 0

    def push(self, samples: Iterable[PointerSample]) -> list[Dab]:
        """The dabs that fall due with these further samples."""
        dabs: list[Dab] = []
        for sample in samples:
            here = _Place(np.array(sample.position), np.array(sample.normal), sample.pressure, sample.tilt)
            if self._last is None:
                dabs.append(self._dab(here, np.zeros(3)))
                self._to_next = self._spacing
            else:
                dabs += self._along(self._last, here)
            self._last = here
        return dabs

    def _dab(self, place: _Place, direction: F64) -> Dab:
        step = place.position - self._printed if self._printed is not None else np.zeros(3)
        self._printed = place.position
        number = self._count
        self._count += 1
        normal = _unit(place.normal, (0.0, 1.0, 0.0))
        return Dab(place.position, normal, place.pressure, place.tilt, direction, step, number)

    def _along(self, a: _Place, b: _Place) -> list[Dab]:
        step = b.position - a.position
        length = float(np.sqrt(step @ step))
        direction = _unit(step, (0.0, 0.0, 0.0))
        dabs = []
        at = self._to_next
        while at <= length:
            t = at / length
            between = _Place(
                a.position + t * step,
                # Normalised only once: the ends may be of any length.
                a.normal + t * (b.normal - a.normal),
                a.pressure + t * (b.pressure - a.pressure),
                a.tilt + t * (b.tilt - a.tilt),
            )
            dabs.append(self._dab(between, direction))
            at += self._spacing
        self._to_next = at - length
        return dabs
