"""How the vertices of a changed mesh come from those of the old one.

Every change of a mesh says so in these steps, and whatever lies on vertices (attributes, paint)
is moved by running through them.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F64, I32


@dataclass(frozen=True)
class Midpoints:
    """All vertices stay; behind them come the midpoints of pairs (k, 2)."""

    parents: I32

    def apply(self, values: F64) -> F64:
        return np.concatenate([values, (values[self.parents[:, 0]] + values[self.parents[:, 1]]) * 0.5])


@dataclass(frozen=True)
class Picked:
    """New vertex i is old vertex index[i]."""

    index: I32

    def apply(self, values: F64) -> F64:
        return values[self.index]


@dataclass(frozen=True)
class Mixed:
    """New vertex i is a mean of old ones: sources (n, k), shares (n, k) that sum to one."""

    sources: I32
    shares: F64

    def apply(self, values: F64) -> F64:
        shares = self.shares.reshape(*self.shares.shape, *([1] * (values.ndim - 1)))
        return (values[self.sources] * shares).sum(axis=1)


Step = Midpoints | Picked | Mixed
Lineage = tuple[Step, ...]


def moved(lineage: Lineage, values: NDArray[Any]) -> F64:
    """Values (n, ...) on the old vertices as (n', ...) on the new ones, float64."""
    out: F64 = values.astype(np.float64)
    for step in lineage:
        out = step.apply(out)
    return out


def origins(lineage: Lineage, count: int) -> I32:
    """For each new vertex the old one, of so many, that has the greatest part in it, step by step; of equal parts the first.

    What cannot be averaged is taken from there.
    """
    out = np.arange(count, dtype=np.int32)
    for step in lineage:
        match step:
            case Midpoints():
                out = np.concatenate([out, out[step.parents[:, 0]]])
            case Picked():
                out = out[step.index]
            case Mixed():
                rows = np.arange(step.sources.shape[0])
                out = out[step.sources[rows, step.shares.argmax(axis=1)]]
    return out
