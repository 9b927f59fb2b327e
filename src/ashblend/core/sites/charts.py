"""Which triangles hang together: over edges, within a UV island; and where the map is cut."""

import numba
import numpy as np

from ashblend.core.arrays import I32, U32, Mask
from ashblend.core.sites.edges import Edges, edges_between, place_edges, place_of_vertex
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.weld import number_rows, weld_positions


@numba.njit(cache=True)
def _find(parent: I32, i: int) -> int:
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@numba.njit(cache=True)
def _components(of_face: I32, edges: int, joined: Mask) -> I32:
    """Label (m,) of each face, numbered in order, where all faces at a joined edge share one."""
    count = of_face.shape[0]
    parent = np.arange(count).astype(np.int32)
    first = np.full(edges, -1, np.int32)
    for t in range(count):
        for i in range(3):
            e = of_face[t, i]
            if not joined[e]:
                continue
            if first[e] < 0:
                first[e] = t
                continue
            a, b = _find(parent, first[e]), _find(parent, t)
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


def connected(edges: Edges, joined: Mask) -> I32:
    """(m,) label of each triangle: those at a joined edge (edges,) share it, however many they are."""
    return _components(edges.of_face, edges.count, joined)


def part_of_face(mesh: Mesh) -> I32:
    """(m,) connected part of each triangle, over seams."""
    edges = place_edges(mesh)
    return connected(edges, np.ones(edges.count, bool))


def _islands(mesh: Mesh, sides: U32 | None) -> I32:
    if not mesh.uvs:
        return np.zeros(mesh.triangles.shape[0], np.int32)
    # A corner in the map: its place and its UV. Vertices split for their normals alone stay one.
    uv = np.ascontiguousarray(mesh.uvs[0] + np.float32(0)).view(np.uint32)
    columns = [place_of_vertex(mesh).astype(np.uint32)[:, None], uv]
    if sides is not None:
        columns.append(sides[:, None])
    number, _ = number_rows(np.concatenate(columns, axis=1))
    edges = edges_between(number[mesh.triangles])
    return connected(edges, np.ones(edges.count, bool))


def island_of_face(mesh: Mesh) -> I32:
    """(m,) UV island of each triangle in the first UV set; without UVs, one island."""
    return _islands(mesh, None)


def chart_of_face(mesh: Mesh) -> I32:
    """(m,) chart of each triangle: islands, parted along hard borders too, so that paint stops there."""
    return _islands(mesh, mesh.side_of_vertex if mesh.sides is not None else None)


def seams_of(mesh: Mesh) -> I32:
    """(k, 4) face, corner, other face, its corner: edges where the map is cut, but not the mesh.

    Edges of a hard border are not among them.
    """
    if not mesh.uvs:
        return np.empty((0, 4), np.int32)
    edges = edges_between(weld_positions(mesh.positions, mesh.side_of_vertex).point_of_site[mesh.triangles])
    # Every face at an edge after the first is paired with the one before it, so that none is left out.
    corners = np.argsort(edges.of_face.reshape(-1), kind="stable")
    edge = edges.of_face.reshape(-1)[corners]
    follows = np.flatnonzero(edge[1:] == edge[:-1]) + 1
    a, at_a = np.divmod(corners[follows - 1], 3)
    b, at_b = np.divmod(corners[follows], 3)
    uv, triangles = mesh.uvs[0], mesh.triangles.astype(np.int64)
    # Seen from both sides an edge runs both ways.
    begin_a, end_a = triangles[a, at_a], triangles[a, (at_a + 1) % 3]
    begin_b, end_b = triangles[b, at_b], triangles[b, (at_b + 1) % 3]
    same = (mesh.positions[begin_a] == mesh.positions[begin_b]).all(axis=1)
    begin_b, end_b = np.where(same, begin_b, end_b), np.where(same, end_b, begin_b)
    cut = (uv[begin_a] != uv[begin_b]).any(axis=1) | (uv[end_a] != uv[end_b]).any(axis=1)
    found = np.stack([a, at_a, b, at_b], axis=1)[cut].astype(np.int32)
    return found[np.lexsort((found[:, 2], found[:, 0]))]
