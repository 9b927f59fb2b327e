"""Texels along the open edges of a mesh, which are those that one triangle alone has."""

import numpy as np

from ashblend.core.arrays import F32, F64, I32, U32, Mask
from ashblend.core.sites.layout import texel_place

# Texels between a centre and an edge that it counts as lying at: the whole row beside an edge, however it runs.
BESIDE = 1.0


def _away(at: F64, one: F64, other: F64) -> F64:
    """(k,) from places (k, 2) to segments between (k, 2) and (k, 2)."""
    way = other - one
    along = np.einsum("ij,ij->i", at - one, way) / np.maximum(np.einsum("ij,ij->i", way, way), 1e-30)
    return np.asarray(np.linalg.norm(at - one - np.clip(along, 0, 1)[:, None] * way, axis=1))


def rim_texels(uv: F32, triangles: I32, lone: Mask, size: int, owner: I32) -> U32:
    """Numbers of texels, ascending. lone: (m, 3) whether a triangle is alone at its edge from corner i to i + 1."""
    of_rim = np.concatenate([[False], lone.any(axis=1)])
    near = np.flatnonzero(of_rim[owner]).astype(np.uint32)
    faces = owner[near] - 1
    at: F64 = np.stack(texel_place(near, size), axis=1).astype(np.float64) + 0.5
    corners = uv[triangles[faces]].astype(np.float64) * size
    beside = np.zeros(near.shape[0], bool)
    for corner in range(3):
        away = _away(at, corners[:, corner], corners[:, (corner + 1) % 3])
        beside |= lone[faces, corner] & (away <= BESIDE)
    return near[beside]
