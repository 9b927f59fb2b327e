"""More vertices: everywhere, in an area, or only where a wanted mask needs them."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F64, I32, I64, Mask
from ashblend.core.prepare.split_edges import EdgeSplitter, Split, split_all
from ashblend.core.progress import Progress, silent
from ashblend.core.sites.edges import edge_lengths, edges_between
from ashblend.core.sites.lineage import Lineage
from ashblend.core.sites.mesh import Mesh

MOST_STEPS = 60


class TooMany(ValueError):
    """The mesh would get more vertices than allowed."""

    def __init__(self, vertices: int, most: int) -> None:
        super().__init__(f"This would make at least {vertices:,} vertices; at most {most:,} are allowed.")


@dataclass(frozen=True)
class Refined:
    """mesh: the new one; its first vertices are the old ones. parent: (m',) triangle of the old mesh."""

    mesh: Mesh
    lineage: Lineage
    parent: I32


def _refined(mesh: Mesh, splits: list[Split]) -> Refined:
    parent = np.arange(mesh.triangles.shape[0], dtype=np.int32)
    for split in splits:
        parent = parent[split.parent]
    return Refined(splits[-1].mesh if splits else mesh, tuple(split.step for split in splits), parent)


def vertices_after_levels(mesh: Mesh, levels: int) -> int:
    """How many vertices uniform refinement makes: V + E each time; E → 2E + 3F, F → 4F."""
    vertices, faces = mesh.vertex_count, mesh.triangles.shape[0]
    edges = edges_between(mesh.triangles).count
    for _ in range(levels):
        vertices, edges, faces = vertices + edges, 2 * edges + 3 * faces, 4 * faces
    return vertices


def refine_levels(mesh: Mesh, levels: int, most: int, progress: Progress = silent) -> Refined:
    """Every triangle into four, `levels` times. Raises TooMany."""
    count = vertices_after_levels(mesh, levels)
    if count > most:
        raise TooMany(count, most)
    splits: list[Split] = []
    now = mesh
    for level in range(levels):
        progress(level / levels)
        splits.append(split_all(now))
        now = splits[-1].mesh
    return _refined(mesh, splits)


def refine_where(
    mesh: Mesh,
    wanted_edges: Callable[[EdgeSplitter, I32, I32 | None], Mask],
    most: int,
    progress: Progress = silent,
    steps: int = MOST_STEPS,
) -> Refined:
    """Bisect until no edge is wanted split. Raises TooMany.

    wanted_edges: marks (edges,) over the splitter's edges; told each triangle's oldest parent (m,)
    and the one before the last split, None at first.
    """
    splits: list[Split] = []
    now = mesh
    parent = np.arange(mesh.triangles.shape[0], dtype=np.int32)
    last: I32 | None = None
    for step in range(steps):
        progress(step / (step + 6))
        splitter = EdgeSplitter(now)
        marked = wanted_edges(splitter, parent, last)
        if not marked.any():
            break
        split = splitter.split(marked)
        if split.mesh.vertex_count > most:
            raise TooMany(split.mesh.vertex_count, most)
        splits.append(split)
        parent = parent[split.parent]
        last = split.parent
        now = split.mesh
    return _refined(mesh, splits)


def refine_to_spacing(
    mesh: Mesh, spacing: float, most: int, inside: Mask | None = None, progress: Progress = silent
) -> Refined:
    """Split edges longer than `spacing` metres, everywhere or only in chosen triangles (m,).

    Neighbours of an area follow where they must, so that no vertex lies in the middle of an edge.
    """

    def long_edges(splitter: EdgeSplitter, parent: I32, _: I32 | None) -> Mask:
        triangles = splitter.edges
        # Any vertex of a place will do for its position.
        at = np.empty(int(splitter.places.max()) + 1, np.int32)
        at[splitter.places] = np.arange(splitter.places.shape[0])
        lengths = edge_lengths(splitter.mesh.positions, at[triangles.ends])
        long: Mask = lengths > spacing * (1 + 1e-6)
        if inside is not None:
            within = np.zeros(triangles.count, bool)
            within[triangles.of_face[inside[parent]]] = True
            long &= within
        return long

    return refine_where(mesh, long_edges, most, progress)


class Places(Protocol):
    """Places on a mesh: positions and normals (k, 3), uv (k, 2) or None."""

    @property
    def positions(self) -> F64: ...

    @property
    def normals(self) -> F64: ...

    @property
    def uv(self) -> F64 | None: ...


@dataclass(frozen=True)
class VertexPlaces:
    """Every vertex of a mesh. normals: (n, 3)."""

    mesh: Mesh
    normals: F64

    @property
    def positions(self) -> F64:
        return self.mesh.positions.astype(np.float64)

    @property
    def uv(self) -> F64 | None:
        return self.mesh.uvs[0].astype(np.float64) if self.mesh.uvs else None


class InnerPlaces:
    """Places at barycentric shares (s, 3) in each of some triangles (k,), k · s of them.

    What a mask does not ask for is not worked out.
    """

    def __init__(self, mesh: Mesh, normals: F64, faces: I32, shares: F64) -> None:
        self._mesh = mesh
        self._normals = normals
        self._corners = mesh.triangles[faces].astype(np.int64)
        self._shares = shares

    def _between(self, values: NDArray[np.floating]) -> F64:
        # Three products and sums; one einsum over all of it took five times as long.
        a, b, c = (values[self._corners[:, i]].astype(np.float64)[:, None, :] for i in range(3))
        u, v, w = (self._shares[None, :, i, None] for i in range(3))
        out: F64 = u * a
        out += v * b
        out += w * c
        return out.reshape(-1, values.shape[1])

    @property
    def positions(self) -> F64:
        return self._between(self._mesh.positions)

    @property
    def normals(self) -> F64:
        return self._between(self._normals)

    @property
    def uv(self) -> F64 | None:
        return self._between(self._mesh.uvs[0]) if self._mesh.uvs else None


WantedMask = Callable[[Places], F64]


def lattice(order: int) -> F64:
    """Barycentric shares (s, 3) of an even lattice with `order` steps along an edge."""
    i, j = np.meshgrid(np.arange(order + 1), np.arange(order + 1), indexing="ij")
    inside = i + j <= order
    a, b = i[inside] / order, j[inside] / order
    return np.stack([1 - a - b, a, b], axis=1)


CHUNK = 400_000
COARSE = 8
MOST_ORDER = 32


@dataclass(frozen=True)
class MaskError:
    """How far a mask held at vertices is from a wanted one, triangle by triangle.

    step: metres between the places looked at. Where the mask does not vary at all between the places of
    a coarse lattice, with COARSE steps along an edge, it is not looked at more finely: smaller features
    may be missed.
    """

    wanted: WantedMask
    step: float

    def of_faces(self, mesh: Mesh, normals: F64, faces: I32, enough: float = np.inf) -> F64:
        """Worst difference (k,) inside each of the triangles (k,).

        enough: where the coarse lattice shows more than this already, that much is the answer.
        """
        corners = mesh.triangles[faces].astype(np.int64)
        positions = mesh.positions.astype(np.float64)
        edges = positions[np.roll(corners, -1, axis=1)] - positions[corners]
        longest = np.sqrt(np.einsum("kcx,kcx->kc", edges, edges).max(axis=1))
        # Powers of two: then few lattices serve all triangles.
        order = np.exp2(np.ceil(np.log2(np.maximum(longest / self.step, 2)))).astype(np.int64)
        order = np.minimum(order, MOST_ORDER)
        at_corners = self.wanted(InnerPlaces(mesh, normals, faces, np.eye(3))).reshape(-1, 3)
        out, spread = self._looked(mesh, normals, faces, at_corners, np.minimum(order, COARSE))
        finer = np.flatnonzero((order > COARSE) & (spread > 0) & (out <= enough))
        if finer.size:
            out[finer], _ = self._looked(mesh, normals, faces[finer], at_corners[finer], order[finer])
        return out

    def _looked(self, mesh: Mesh, normals: F64, faces: I32, at_corners: F64, order: I64) -> tuple[F64, F64]:
        """Worst difference and the mask's own spread (k,) over a lattice of its order (k,) each."""
        out, spread = np.empty(faces.shape[0]), np.empty(faces.shape[0])
        for n in np.unique(order):
            shares = lattice(int(n))
            rows = np.flatnonzero(order == n)
            together = max(1, CHUNK // shares.shape[0])
            for begin in range(0, rows.shape[0], together):
                part = rows[begin : begin + together]
                held = at_corners[part] @ shares.T
                places = InnerPlaces(mesh, normals, faces[part], shares)
                there = self.wanted(places).reshape(held.shape)
                out[part] = np.abs(there - held).max(axis=1)
                spread[part] = np.ptp(there, axis=1)
        return out, spread


def _vertex_normals(mesh: Mesh) -> F64:
    from ashblend.core.sites.mesh_vertices import mesh_vertices

    return (mesh.normals if mesh.normals is not None else mesh_vertices(mesh).normals).astype(np.float64)


@dataclass(frozen=True)
class RefinedToMask:
    """worst: the largest difference left. uniform_levels, uniform_vertices: what refining everywhere
    would take for no larger one; levels is None where the search was given up.
    """

    refined: Refined
    worst: float
    uniform_levels: int | None
    uniform_vertices: int


def refine_to_mask(
    mesh: Mesh,
    wanted: WantedMask,
    tolerance: float,
    finest: float,
    most: int,
    progress: Progress = silent,
) -> RefinedToMask:
    """Bisect the triangles inside which the wanted mask, held at vertices, is off by more than tolerance.

    finest: metres; shorter edges are not split. Raises TooMany.
    """
    error = MaskError(wanted, finest / 2)
    known: dict[str, F64] = {}

    def off(splitter: EdgeSplitter, _: I32, last: I32 | None) -> Mask:
        now = splitter.mesh
        worst = np.full(now.triangles.shape[0], -1.0)
        if last is not None:
            whole = np.bincount(last)[last] == 1
            worst[whole] = known["worst"][last[whole]]
        fresh = np.flatnonzero(worst < 0).astype(np.int32)
        worst[fresh] = error.of_faces(now, _vertex_normals(now), fresh, tolerance)
        known["worst"] = worst
        corners = now.triangles[np.arange(now.triangles.shape[0]), splitter.longest].astype(np.int64)
        following = now.triangles[np.arange(now.triangles.shape[0]), (splitter.longest + 1) % 3].astype(
            np.int64
        )
        length = np.linalg.norm(now.positions[corners] - now.positions[following], axis=1)
        return splitter.longest_of((worst > tolerance) & (length > finest))

    refined = refine_where(mesh, off, most, progress)
    worst = float(known["worst"].max(initial=0.0))
    levels, count = _uniform_for(mesh, error, max(worst, tolerance), refined)
    return RefinedToMask(refined, worst, levels, count)


MOST_COMPARED = 600_000
MOST_LEVELS = 8


def _none_above(mesh: Mesh, error: MaskError, faces: I32, limit: float) -> bool:
    """Whether no triangle is off by more; the first that is ends the search."""
    normals = _vertex_normals(mesh)
    return all(
        error.of_faces(mesh, normals, faces[begin : begin + 4000], limit).max() <= limit
        for begin in range(0, faces.shape[0], 4000)
    )


def _uniform_for(mesh: Mesh, error: MaskError, worst: float, refined: Refined) -> tuple[int | None, int]:
    """How many uniform levels bring the mask as close, and the vertices they make.

    Only triangles that needed refining are followed; the others are close enough already.
    """
    touched = np.unique(refined.parent[np.bincount(refined.parent)[refined.parent] > 1])
    if touched.size == 0:
        return 0, mesh.vertex_count
    part = Mesh(
        mesh.positions,
        mesh.triangles[touched],
        normals=_vertex_normals(mesh).astype(np.float32),
        uvs=mesh.uvs,
    )
    for level in range(MOST_LEVELS + 1):
        faces = np.arange(part.triangles.shape[0], dtype=np.int32)
        if _none_above(part, error, faces, worst * (1 + 1e-9)):
            return level, vertices_after_levels(mesh, level)
        if 4 * part.triangles.shape[0] > MOST_COMPARED:
            return None, vertices_after_levels(mesh, level + 1)
        part = split_all(part).mesh
    return None, vertices_after_levels(mesh, MOST_LEVELS)
