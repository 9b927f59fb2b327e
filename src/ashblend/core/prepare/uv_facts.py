"""What a mesh's UVs are good for: a map of one's own for every part, or tiling.

Places spread evenly over the surface are looked up in the map: some lie outside of it, some share their texel with
another part, the rest have one to themselves.

Tried: comparing each triangle's area in the map with the texels that it got. Triangles under a texel, which fine meshes
are made of, say nothing that way.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np

from ashblend.core.arrays import F64, I32, zero_pages
from ashblend.core.sites.layout import texel_number
from ashblend.core.sites.map_raster import raster
from ashblend.core.sites.mesh import Mesh

SIZE = 512
PLACES = 20_000
# Two places of one texel that lie farther apart than so many texels are two parts.
APART = 6.0


@dataclass(frozen=True)
class UVFacts:
    """Shares of the surface, 0..1. outside: of the map. shared: with another part. own: with texels to itself.

    tiles: how many tiles the UVs reach over, along the longer side.
    """

    own: float
    shared: float
    outside: float
    tiles: float

    @property
    def kind(self) -> str:
        """ "own", "tiling" or "overlapping", by what is worst."""
        if self.outside > 0.02:
            return "tiling"
        return "overlapping" if self.shared > 0.02 else "own"


def _at(values: F64, corners: I32, shares: F64) -> F64:
    return np.asarray(np.einsum("ij,ijk->ik", shares, values[corners]))


def uv_facts(mesh: Mesh, number: int) -> UVFacts:
    """Of a UV set. The same mesh gives the same facts."""
    positions = mesh.positions.astype(np.float64)
    uv = mesh.uvs[number]
    triangles = np.ascontiguousarray(mesh.triangles.astype(np.int32))
    sides = positions[triangles]
    areas = np.linalg.norm(np.cross(sides[:, 1] - sides[:, 0], sides[:, 2] - sides[:, 0]), axis=1)
    random = np.random.default_rng(1)
    edges = np.cumsum(areas)
    picked = np.searchsorted(edges, (np.arange(PLACES) + random.random(PLACES)) / PLACES * edges[-1])
    picked = np.minimum(picked, triangles.shape[0] - 1)
    a, b = np.sqrt(random.random(PLACES)), random.random(PLACES)
    shares = np.stack([1 - a, a * (1 - b), a * b], axis=1)
    places = _at(positions, triangles[picked], shares)
    at = _at(uv.astype(np.float64), triangles[picked], shares)

    owner = zero_pages(SIZE * SIZE, np.int32)
    counts = [np.zeros(triangles.shape[0], np.int64) for _ in range(2)]
    raster(np.ascontiguousarray(uv, np.float32), triangles, SIZE, owner, *counts)
    inside = ((at > -1e-4) & (at < 1 + 1e-4)).all(axis=1)
    x, y = (np.clip((at * SIZE).astype(np.int64), 0, SIZE - 1)).T
    owners = owner[texel_number(x, y, SIZE)].astype(np.int64) - 1
    shared = inside & (owners >= 0) & (owners != picked)
    shared[shared] = _far(positions, uv, triangles, owners[shared], at[shared], places[shared])
    extent = uv.max(axis=0).astype(np.float64) - uv.min(axis=0)
    return UVFacts(
        own=float((inside & ~shared).mean()),
        shared=float(shared.mean()),
        outside=float((~inside).mean()),
        tiles=float(extent.max()),
    )


def _far(positions: F64, uv: Any, triangles: I32, owners: Any, at: F64, places: F64) -> Any:
    """(k,) whether what the texel shows lies elsewhere on the surface than the place does."""
    corners = uv[triangles[owners]].astype(np.float64)
    first, second = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    area = first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0]
    area = np.where(np.abs(area) < 1e-18, 1e-18, area)
    away = at - corners[:, 0]
    u = (away[:, 0] * second[:, 1] - away[:, 1] * second[:, 0]) / area
    v = (first[:, 0] * away[:, 1] - first[:, 1] * away[:, 0]) / area
    shown = _at(positions, triangles[owners], np.stack([1 - u - v, u, v], axis=1))
    # A texel's edge on the surface, from the shown triangle's size there and in the map.
    sides = positions[triangles[owners]]
    real = np.linalg.norm(np.cross(sides[:, 1] - sides[:, 0], sides[:, 2] - sides[:, 0]), axis=1)
    texel = np.sqrt(real / np.abs(area)) / SIZE
    return np.linalg.norm(shown - places, axis=1) > APART * texel


def best_map(mesh: Mesh) -> int:
    """The UV set that gives most of the surface texels of its own; the first without any."""
    own = [uv_facts(mesh, number).own for number in range(len(mesh.uvs))]
    return int(np.argmax(own)) if own else 0


def all_uv_facts(mesh: Mesh) -> list[dict[str, Any]]:
    """What is told of every UV set."""
    out = []
    for number in range(len(mesh.uvs)):
        facts = uv_facts(mesh, number)
        out.append(
            {
                "kind": facts.kind,
                "own": facts.own,
                "shared": facts.shared,
                "outside": facts.outside,
                "tiles": facts.tiles,
            }
        )
    return out
