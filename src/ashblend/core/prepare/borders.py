"""The sites of chosen triangles, and the points on a border."""

import numpy as np

from ashblend.core.arrays import F32, I32, Mask
from ashblend.core.sites.edges import edges_between, place_of_vertex
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.protocol import Sites
from ashblend.core.sites.uv_texels import UVTexels


def sites_of_faces(mesh: Mesh, sites: Sites, faces: Mask) -> Mask:
    """(sites,) those that lie on any of the chosen triangles (m,)."""
    if isinstance(sites, UVTexels):
        return faces[sites.face_of_site]
    out = np.zeros(sites.count, bool)
    out[mesh.triangles[faces]] = True
    return out


def border_points(mesh: Mesh, sites: Sites, faces: Mask) -> I32:
    """Points where chosen triangles (m,) meet others."""
    if isinstance(sites, UVTexels):
        inside = faces[sites.face_of_site]
        offsets, neighbours = sites.neighbours()
        of = np.repeat(np.arange(sites.count), np.diff(offsets))
        return np.unique(of[inside[of] != inside[neighbours]]).astype(np.int32)
    # By place, so that a hard border counts as one.
    places = place_of_vertex(mesh)
    inside, outside = (np.zeros(int(places.max()) + 1, bool) for _ in range(2))
    inside[places[mesh.triangles[faces]]] = True
    outside[places[mesh.triangles[~faces]]] = True
    at_both = (inside & outside)[places]
    return np.unique(sites.weld.point_of_site[at_both]).astype(np.int32)


def open_edge_points(mesh: Mesh, sites: Sites) -> I32:
    """Points on edges that only one triangle has."""
    if isinstance(sites, UVTexels):
        raise ValueError("texels know no open edges")
    edges = edges_between(sites.weld.point_of_site[mesh.triangles])
    return np.unique(edges.ends[edges.uses == 1]).astype(np.int32)


def allowed(
    shape: tuple[int, ...], protected: Mask | None, within: Mask | None, mask: F32 | None
) -> F32 | None:
    """How far each site may be changed, 0..1: not where protected, only within, less where mask is high."""
    if protected is None and within is None and mask is None:
        return None
    out = np.ones(shape, np.float32)
    if mask is not None:
        out *= 1 - mask
    if within is not None:
        out[~within] = 0
    if protected is not None:
        out[protected] = 0
    return out
