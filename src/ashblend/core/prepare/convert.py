"""Values from one kind of sites on another kind: vertices ↔ texels of the map, texels ↔ texels."""

import numpy as np

from ashblend.core.arrays import F64, I32
from ashblend.core.channels.channel import Channel
from ashblend.core.prepare.closest import ClosestTree
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.uv_texels import UVTexels


def vertices_to_texels(values: F64, texels: UVTexels) -> F64:
    """Values (vertices,) at every texel (sites,)."""
    corners, shares = texels.shares_of_corners()
    return (values[corners] * shares).sum(axis=1) / np.maximum(shares.sum(axis=1), 1e-12)


def texels_to_vertices(values: F64, texels: UVTexels, mesh: Mesh) -> F64:
    """Values (sites,) at every vertex; a vertex outside the map gets zero."""
    site = texels.site_in_map(mesh.uvs[0].astype(np.float64))
    return np.where(site >= 0, values[np.maximum(site, 0)], 0.0)


def texels_by_index(old: UVTexels, new: UVTexels) -> I32:
    """For each new texel of the same map the old site that it takes over."""
    texel = new.texels.astype(np.int64)
    at = (np.stack([texel % new.size, texel // new.size], axis=1) + 0.5) / new.size
    return old.site_in_map(at)


def texels_by_place(old_mesh: Mesh, old: UVTexels, new: UVTexels, facing_limit: float) -> I32:
    """For each texel of another mesh or map the old site at the closest place of the old mesh."""
    tree = ClosestTree(old_mesh.positions, old_mesh.triangles)
    hits = tree.closest(new.positions, new.normals, facing_limit)
    lost = hits.faces < 0
    if lost.any():
        anyway = tree.closest(new.positions[lost])
        hits.faces[lost], hits.shares[lost] = anyway.faces, anyway.shares
    corners = old_mesh.triangles[hits.faces].astype(np.int64)
    uv = (old_mesh.uvs[0][corners].astype(np.float64) * hits.shares[:, :, None]).sum(axis=1)
    return old.site_in_map(uv)


def taken_over(channel: Channel, sites: I32) -> Channel:
    """A channel whose site i was site sites[i] of another; −1 starts without paint."""
    known = sites >= 0
    safe = np.maximum(sites, 0)
    undercoat = channel.undercoat
    return Channel(
        np.where(known, channel.cover[safe], 0).astype(np.uint16),
        np.where(known, channel.paint[safe], 0).astype(np.uint16),
        undercoat if isinstance(undercoat, float) else undercoat[safe],
    )
