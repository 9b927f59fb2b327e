"""Which triangles hang together: over edges, within a UV island; and where the map is cut."""

import numba
import numpy as np

from ashblend.core.arrays import I32, Mask
from ashblend.core.sites.edges import Edges, edges_between, place_edges, place_of_vertex
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.weld import weld_positions


@numba.njit(cache=True)
def _find(parent: I32, i: int) -> int:
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@numba.njit(cache=True)
def _components(count: int, pairs: I32, joined: Mask) -> I32:
    """Label (count,) of each face, numbered in order, where faces of joined pairs share one."""
    parent = np.arange(count).astype(np.int32)
    for k in range(pairs.shape[0]):
        if joined[k] and pairs[k, 1] >= 0:
            a, b = _find(parent, pairs[k, 0]), _find(parent, pairs[k, 1])
            if a < b:
                parent[b] = a
            else:
                parent[a] = b
    labels = np.full(count, -1, np.int32)
    number = 0
    for i in range(count):
        root = _find(parent, i)
        if labels[root] < 0:
            labels[root] = number
            number += 1
        labels[i] = labels[root]
    return labels


def connected(count: int, edges: Edges, joined: Mask) -> I32:
    """(count,) label of each triangle: those on both sides of a joined edge (edges,) share it."""
    return _components(count, edges.faces, joined)


def part_of_face(mesh: Mesh) -> I32:
    """(m,) connected part of each triangle, over seams."""
    edges = place_edges(mesh)
    return connected(mesh.triangles.shape[0], edges, np.ones(edges.count, bool))


def island_of_face(mesh: Mesh) -> I32:
    """(m,) UV island of each triangle in the first UV set; without UVs, one island."""
    if not mesh.uvs:
        return np.zeros(mesh.triangles.shape[0], np.int32)
    # A corner in the map: its place and its UV. Vertices split for their normals alone stay one.
    uv = np.ascontiguousarray(mesh.uvs[0] + np.float32(0)).view(np.uint32).astype(np.int64)
    rows = np.column_stack([place_of_vertex(mesh), uv])
    _, number = np.unique(rows, axis=0, return_inverse=True)
    edges = edges_between(number.reshape(-1).astype(np.int32)[mesh.triangles])
    return connected(mesh.triangles.shape[0], edges, np.ones(edges.count, bool))


def seams_of(mesh: Mesh) -> I32:
    """(k, 4) face, corner, other face, its corner: edges where the map is cut, but not the mesh.

    Edges of a hard border are not among them.
    """
    if not mesh.uvs:
        return np.empty((0, 4), np.int32)
    edges = edges_between(weld_positions(mesh.positions, mesh.side_of_vertex).point_of_site[mesh.triangles])
    a, b = edges.faces[:, 0], edges.faces[:, 1]
    inner = np.flatnonzero(edges.uses == 2)
    a, b = a[inner], b[inner]
    at_a = np.argmax(edges.of_face[a] == inner[:, None], axis=1)
    at_b = np.argmax(edges.of_face[b] == inner[:, None], axis=1)
    uv, triangles = mesh.uvs[0], mesh.triangles.astype(np.int64)
    # Seen from both sides an edge runs both ways.
    begin_a, end_a = triangles[a, at_a], triangles[a, (at_a + 1) % 3]
    begin_b, end_b = triangles[b, at_b], triangles[b, (at_b + 1) % 3]
    same = (mesh.positions[begin_a] == mesh.positions[begin_b]).all(axis=1)
    begin_b, end_b = np.where(same, begin_b, end_b), np.where(same, end_b, begin_b)
    cut = (uv[begin_a] != uv[begin_b]).any(axis=1) | (uv[end_a] != uv[end_b]).any(axis=1)
    return np.stack([a, at_a, b, at_b], axis=1)[cut].astype(np.int32)
