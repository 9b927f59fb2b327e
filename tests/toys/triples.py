"""A toy kind of value: three numbers of a palette that must never be averaged."""

from typing import Any, ClassVar

import numpy as np

from ashblend.core.arrays import F32, F64, U16
from ashblend.core.brush.fills.protocol import FillSettings, FillView, Wanted
from ashblend.core.channels.quantise import FULL
from ashblend.core.channels.values.kind import AREA, COUNT, COVERED, OWN, SUMS, TOUCHED, ValueKind
from ashblend.core.sites.lineage import Lineage, origins

PALETTE = {(0, 0, 0), (11, 200, 3), (60_000, 7, 40_000), (5, 5, 5), (9, 65_535, 1)}


class Triples(ValueKind):
    name: ClassVar[str] = "triple"
    code: ClassVar[int] = 9
    width: ClassVar[int] = 3

    def held(self, under: U16 | float, cover: U16, paint: U16) -> U16:
        below = np.zeros_like(paint) if isinstance(under, float) else under
        return np.where(cover[:, None] > 0, paint, below)

    def toward(self, cover: U16, paint: U16, share: F64, target: Any) -> tuple[U16, U16]:
        taken = share >= 0.5
        return np.where(taken, FULL, cover).astype(np.uint16), np.where(taken[:, None], target, paint).astype(
            np.uint16
        )

    def lifted(self, cover: U16, paint: U16, share: F64) -> tuple[U16, U16]:
        gone = share >= 0.5
        return np.where(gone, 0, cover).astype(np.uint16), np.where(gone[:, None], 0, paint).astype(np.uint16)

    def mixed(self, values: U16, shares: F64) -> U16:
        return values[np.arange(values.shape[0]), shares.argmax(axis=1)]

    def moved(self, lineage: Lineage, cover: U16, paint: U16) -> tuple[U16, U16]:
        at = origins(lineage, cover.shape[0])
        return cover[at], paint[at]

    def moved_values(self, lineage: Lineage, values: U16) -> U16:
        return values[origins(lineage, values.shape[0])]

    def shown(self, values: U16, _: int) -> U16:
        return values

    def tally(self, values: U16, cover: U16, areas: F32) -> F64:
        out = np.zeros(SUMS)
        out[AREA] = areas.sum(dtype=np.float64)
        out[COVERED] = out[TOUCHED] = areas[values.any(axis=1)].sum(dtype=np.float64)
        out[COUNT], out[OWN] = cover.shape[0], (cover > 0).sum()
        return out


TRIPLES = Triples()


class TripleFill(FillSettings):
    """One triple below a place along x."""

    fills: ClassVar[frozenset[str]] = frozenset({"triple"})

    numbers: tuple[int, int, int]
    below: float

    def wanted(self, view: FillView) -> Wanted:
        here = view.window.positions[:, 0] < self.below
        return Wanted(np.array(self.numbers), here.astype(np.float64))

    def label(self, name: str) -> str:
        return f"Fill {name}"
