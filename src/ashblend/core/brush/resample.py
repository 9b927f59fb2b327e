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
    """One print of the brush. position, normal: (3,) float64; normal is unit. pressure 0..1."""

    position: F64
    normal: F64
    pressure: float


def _sample_dab(sample: PointerSample) -> Dab:
    return Dab(np.array(sample.position), np.array(sample.normal), sample.pressure)


def _unit(vector: F64) -> F64:
    length = float(np.sqrt(vector @ vector))
    return vector / length if length > 0 else np.array([0.0, 1.0, 0.0])


class ArcLengthResampler:
    """Turns samples into dabs `spacing` metres apart along the straight lines between samples."""

    def __init__(self, spacing: float) -> None:
        self._spacing = spacing
        self._last: Dab | None = None
        self._to_next = 0.0

    def push(self, samples: Iterable[PointerSample]) -> list[Dab]:
        """The dabs that fall due with these further samples."""
        dabs: list[Dab] = []
        for sample in samples:
            here = _sample_dab(sample)
            if self._last is None:
                dabs.append(Dab(here.position, _unit(here.normal), here.pressure))
                self._to_next = self._spacing
            else:
                dabs += self._along(self._last, here)
            self._last = here
        return dabs

    def _along(self, a: Dab, b: Dab) -> list[Dab]:
        step = b.position - a.position
        length = float(np.sqrt(step @ step))
        dabs = []
        at = self._to_next
        while at <= length:
            t = at / length
            normal = _unit(a.normal + t * (b.normal - a.normal))
            dabs.append(Dab(a.position + t * step, normal, a.pressure + t * (b.pressure - a.pressure)))
            at += self._spacing
        self._to_next = at - length
        return dabs
