"""How the vertices of a changed mesh come from those of the old one.

Every change of a mesh says so in these steps, and whatever lies on vertices (attributes, paint)
is moved by running through them.
"""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.sites.mesh import ColourSet, Mesh


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


def _units(vectors: F64, old: F32) -> F32:
    """Directions of length one again; those that did not change, bit for bit."""
    length = np.linalg.norm(vectors[:, :3], axis=1, keepdims=True)
    vectors[:, :3] = np.where(length > 1e-12, vectors[:, :3] / np.maximum(length, 1e-12), vectors[:, :3])
    return vectors.astype(np.float32)


def moved_attributes(lineage: Lineage, mesh: Mesh) -> dict[str, Any]:
    """Everything on a mesh's vertices moved: fields for `dataclasses.replace`, positions too."""
    # Old vertices must come out bit for bit: float32 survives float64 and back, normalising would not.
    origin = moved(lineage, np.arange(mesh.vertex_count))

    def directions(values: F32 | None) -> F32 | None:
        if values is None:
            return None
        raw = moved(lineage, values)
        out = _units(raw.copy(), values)
        same = (origin == np.rint(origin)) & (origin >= 0)
        kept = np.rint(origin[same]).astype(np.int64)
        exact = np.all(raw[same] == values[kept], axis=1)
        rows = np.flatnonzero(same)[exact]
        out[rows] = values[kept[exact]]
        if out.shape[1] == 4:
            out[:, 3] = np.where(raw[:, 3] < 0, -1, 1)
        return out

    def plain(values: F32) -> F32:
        return moved(lineage, values).astype(np.float32)

    return {
        "positions": plain(mesh.positions),
        "normals": directions(mesh.normals),
        "tangents": directions(mesh.tangents),
        "uvs": tuple(plain(uv) for uv in mesh.uvs),
        "colours": tuple(ColourSet(c.name, plain(c.values), c.bits) for c in mesh.colours),
        "attributes": {name: plain(values) for name, values in mesh.attributes.items()},
    }


def moved_mesh(lineage: Lineage, mesh: Mesh, **others: Any) -> Mesh:
    """The mesh with all its vertices moved, and other fields as given."""
    return replace(mesh, **moved_attributes(lineage, mesh), **others)
