"""Splitting marked edges at their midpoints, without leaving a vertex in the middle of an edge.

Two patterns: every edge of every triangle (four children each), and longest-edge bisection
(Rivara 1984, Int. J. Numer. Meth. Eng. 20), where a triangle with any marked edge splits its longest
one first, so that angles never fall below half of the smallest there was. Tried: closing
red-refined triangles by plain bisection; repeated steps then make slivers along the rim.
"""

from dataclasses import dataclass

import numba
import numpy as np

from ashblend.core.arrays import I32, I64, Mask
from ashblend.core.sites.edges import (
    edges_between,
    longest_edges,
    place_of_vertex,
)
from ashblend.core.sites.lineage import Midpoints
from ashblend.core.sites.mesh import Group, Mesh
from ashblend.core.sites.moved_mesh import moved_mesh


@dataclass(frozen=True)
class Split:
    """mesh: the new one. step: where its vertices come from. parent: (m',) each triangle's parent."""

    mesh: Mesh
    step: Midpoints
    parent: I32


@numba.njit(cache=True)
def _close(of_face: I32, longest: I32, marked: Mask) -> None:
    """Mark the longest edge of every triangle that has a marked edge, until all agree."""
    changed = True
    while changed:
        changed = False
        for t in range(of_face.shape[0]):
            e = of_face[t, longest[t]]
            if not marked[e] and (marked[of_face[t, 0]] or marked[of_face[t, 1]] or marked[of_face[t, 2]]):
                marked[e] = True
                changed = True


@numba.njit(cache=True)
def _children(triangles: I32, middles: I32, longest: I32, four: bool) -> tuple[I32, I32]:
    """New triangles and their parents, in the order of the parents. middles: (m, 3) or −1."""
    count = 0
    for t in range(triangles.shape[0]):
        count += 1
        for i in range(3):
            count += middles[t, i] >= 0
    out = np.empty((count, 3), np.int32)
    parent = np.empty(count, np.int32)
    n = 0
    for t in range(triangles.shape[0]):
        i = longest[t]
        a, b, c = triangles[t, i], triangles[t, (i + 1) % 3], triangles[t, (i + 2) % 3]
        ab, bc, ca = middles[t, i], middles[t, (i + 1) % 3], middles[t, (i + 2) % 3]
        first = n
        if ab < 0:
            out[n] = (triangles[t, 0], triangles[t, 1], triangles[t, 2])
            n += 1
        elif four:
            out[n] = (a, ab, ca)
            out[n + 1] = (ab, b, bc)
            out[n + 2] = (ca, bc, c)
            out[n + 3] = (ab, bc, ca)
            n += 4
        else:
            if ca >= 0:
                out[n] = (a, ab, ca)
                out[n + 1] = (ca, ab, c)
                n += 2
            else:
                out[n] = (a, ab, c)
                n += 1
            if bc >= 0:
                out[n] = (ab, b, bc)
                out[n + 1] = (ab, bc, c)
                n += 2
            else:
                out[n] = (ab, b, c)
                n += 1
        parent[first:n] = t
    return out, parent


def _regrouped(groups: tuple[Group, ...], parent: I32) -> tuple[Group, ...]:
    """The same runs, over the children."""
    bounds = np.searchsorted(parent, [g.first for g in groups] + [g.first + g.count for g in groups])
    firsts, ends = bounds[: len(groups)], bounds[len(groups) :]
    return tuple(Group(g.name, int(a), int(b - a)) for g, a, b in zip(groups, firsts, ends, strict=True))


def _split(mesh: Mesh, marked_of_face: Mask, longest: I32, four: bool) -> Split:
    triangles = mesh.triangles.astype(np.int32)
    edges = edges_between(triangles)
    marked = np.zeros(edges.count, bool)
    marked[edges.of_face[marked_of_face]] = True
    number = np.cumsum(marked) - 1 + mesh.vertex_count
    middles = np.where(marked_of_face, number[edges.of_face], -1).astype(np.int32)
    children, parent = _children(triangles, middles, longest, four)
    step = Midpoints(edges.ends[marked])
    changed = moved_mesh(
        (step,),
        mesh,
        triangles=children.astype(np.uint32),
        groups=_regrouped(mesh.groups, parent),
        sides=mesh.sides[parent] if mesh.sides is not None else None,
        split_from=_split_from(mesh, step),
    )
    return Split(changed, step, parent)


def _split_from(mesh: Mesh, step: Midpoints) -> I32 | None:
    """A midpoint of two split-off vertices was split off the midpoint of their origins."""
    origin = mesh.split_from
    if origin is None:
        return None
    base = mesh.vertex_count
    parents = step.parents.astype(np.int64)

    def key(pairs: I64) -> I64:
        return pairs.min(axis=1) * base + pairs.max(axis=1)

    own = key(parents)
    order = np.argsort(own, kind="stable")
    theirs = key(np.where(origin[parents] >= 0, origin[parents], parents))
    at = np.minimum(np.searchsorted(own[order], theirs), max(own.shape[0] - 1, 0))
    found = order[at] if own.size else at
    # Where no vertex is split off the midpoint finds itself, and is nobody's.
    split = (own[found] == theirs) & (found != np.arange(own.shape[0]))
    new = np.where(split, base + found, -1).astype(np.int32)
    return np.concatenate([origin, new])


def split_all(mesh: Mesh) -> Split:
    """Every triangle into four."""
    everywhere = np.ones((mesh.triangles.shape[0], 3), bool)
    return _split(mesh, everywhere, np.zeros(mesh.triangles.shape[0], np.int32), True)


class EdgeSplitter:
    """Longest-edge bisection of one mesh: mark triangles or edges, then split."""

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh
        self.places = place_of_vertex(mesh)
        triangles = mesh.triangles.astype(np.int32)
        self.edges = edges_between(self.places[triangles])
        self.longest = longest_edges(mesh.positions, self.places, triangles)

    def longest_of(self, faces: Mask) -> Mask:
        """Edge marks (edges,) for the longest edge of each chosen triangle (m,)."""
        marked = np.zeros(self.edges.count, bool)
        rows = np.flatnonzero(faces)
        marked[self.edges.of_face[rows, self.longest[rows]]] = True
        return marked

    def split(self, marked: Mask) -> Split:
        """Split the marked edges (edges,) between places, and those that must follow."""
        closed = marked.copy()
        _close(self.edges.of_face, self.longest, closed)
        return _split(self.mesh, closed[self.edges.of_face], self.longest, False)
