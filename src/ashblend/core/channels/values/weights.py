"""Weights: 0 to 1 in 65 536 steps, mixed linearly.

value = u·(1 − c) + p, with the undercoat u, the cover c of the hand paint and the paint p, premultiplied by its cover.
Porter and Duff (1984), "Compositing Digital Images": paint is *over* the undercoat.
"""

from typing import Any, ClassVar, Literal

import numpy as np

from ashblend.core.arrays import F32, F64, U16
from ashblend.core.channels.quantise import FULL, quantise
from ashblend.core.channels.values.kind import (
    AREA,
    COUNT,
    COVERED,
    OWN,
    STEPS,
    SUMS,
    TOUCHED,
    ValueKind,
)
from ashblend.core.sites.lineage import Lineage, moved


def _steps(weights: F64) -> U16:
    return np.rint(weights * FULL).astype(np.uint16)


class Weights(ValueKind):
    name: ClassVar[str] = "weight"
    code: ClassVar[int] = 0
    reading: ClassVar[Literal["linear", "nearest"]] = "linear"
    acts: ClassVar[frozenset[str]] = frozenset(
        {"paint", "erase", "add", "subtract", "smooth", "sharpen", "smear", "sampled"}
    )

    def held(self, under: U16 | float, cover: U16, paint: U16) -> U16:
        weight = under if isinstance(under, float) else under / np.float64(FULL)
        steps = weight * (FULL - cover.astype(np.float64)) + paint
        return np.rint(steps).clip(0, FULL).astype(np.uint16)

    def toward(self, cover: U16, paint: U16, share: F64, target: Any) -> tuple[U16, U16]:
        """target: 0..1, cut off there; scalar or (k,)."""
        c = cover / np.float64(FULL) * (1 - share) + share
        p = paint / np.float64(FULL) * (1 - share) + share * np.clip(target, 0, 1)
        return _steps(c), _steps(p)

    def lifted(self, cover: U16, paint: U16, share: F64) -> tuple[U16, U16]:
        return _steps(cover / np.float64(FULL) * (1 - share)), _steps(paint / np.float64(FULL) * (1 - share))

    def mixed(self, values: U16, shares: F64) -> U16:
        weights = (values / np.float64(FULL) * shares).sum(axis=1)
        return quantise(weights, 16).astype(np.uint16, copy=False)

    def moved(self, lineage: Lineage, cover: U16, paint: U16) -> tuple[U16, U16]:
        """Cover and paint are premultiplied, so both move linearly."""
        return self.moved_values(lineage, cover), self.moved_values(lineage, paint)

    def moved_values(self, lineage: Lineage, values: U16) -> U16:
        return np.rint(moved(lineage, values)).astype(np.uint16)

    def shown(self, values: U16, bits: int) -> U16:
        """In 256 steps where the set is made for eight bits."""
        return (np.rint(values / 257.0) * 257).astype(np.uint16) if bits == 8 else values

    def tally(self, values: U16, cover: U16, areas: F32) -> F64:
        weights = areas.astype(np.float64)
        out = np.empty(SUMS)
        out[AREA] = weights.sum()
        out[COVERED] = np.dot(values.astype(np.float64), weights) / FULL
        out[TOUCHED] = weights[values > 0].sum()
        out[COUNT] = values.shape[0]
        out[OWN] = (cover > 0).sum()
        bins = np.minimum(values.astype(np.int64) * STEPS // FULL, STEPS - 1)
        out[OWN + 1 :] = np.bincount(bins, weights=weights, minlength=STEPS)
        return out


WEIGHTS = Weights()
