"""From a triangle to what an artist means by a face: quads, connected parts, UV islands."""

from collections.abc import Callable
from typing import Literal

import numpy as np

from ashblend.core.arrays import I32, Mask
from ashblend.core.sites.charts import connected, island_of_face, part_of_face
from ashblend.core.sites.closest import unit_normals
from ashblend.core.sites.edges import edges_between, longest_edges, place_of_vertex
from ashblend.core.sites.mesh import Mesh

Unit = Literal["face", "quad", "part", "group", "island", "all"]
QUAD_FLATNESS = float(np.cos(np.radians(12.0)))


def quad_of_face(mesh: Mesh) -> I32:
    """(m,) quad of each triangle: two nearly coplanar ones whose common edge is the longest of both."""
    triangles = mesh.triangles.astype(np.int32)
    places = place_of_vertex(mesh)
    edges = edges_between(places[triangles])
    count = triangles.shape[0]
    longest = edges.of_face[np.arange(count), longest_edges(mesh.positions, places, triangles)]
    normals = unit_normals(mesh.positions, triangles)
    a, b = edges.faces[:, 0], edges.faces[:, 1]
    number = np.arange(edges.count)
    paired = (edges.uses == 2) & (longest[a] == number) & (longest[b] == number)
    paired &= np.einsum("ij,ij->i", normals[a], normals[b]) >= QUAD_FLATNESS
    return connected(edges, paired)


def _group_of_face(mesh: Mesh) -> I32:
    return mesh.group_of_face


LABELS: dict[str, Callable[[Mesh], I32]] = {
    "quad": quad_of_face,
    "part": part_of_face,
    "island": island_of_face,
    "group": _group_of_face,
}


def faces_like(mesh: Mesh, picked: I32, unit: Unit) -> Mask:
    """(m,) every triangle that belongs to a face, as the unit means it, of one of those picked (k,)."""
    count = mesh.triangles.shape[0]
    chosen = np.zeros(count, bool)
    if unit == "all":
        return ~chosen
    chosen[picked] = True
    if unit == "face":
        return chosen
    labels = LABELS[unit](mesh)
    return np.isin(labels, np.unique(labels[chosen]))
