"""How far the nearest folded edge lies: where edges wear.

The straight way to the nearest edge whose own faces look about as the place does, which on the faces beside an edge is
the way along the surface; so widths are in metres on any cut into triangles, and on texels of a box of twelve triangles.
Tried: marching from the edges' vertices; on coarse meshes nothing lies between two edges, and texels knew of no vertex.
"""

from typing import Annotated, ClassVar, Literal, Self

import numba
import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64, I32, U32
from ashblend.core.progress import Progress
from ashblend.core.sites.closest import ClosestTree, unit_normals
from ashblend.core.sites.edges import edges_between, place_of_vertex
from ashblend.core.source_document import Setting, Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length

# An edge's faces are turned from a place on them by less, however much its normal is smoothed.
FACING = 75.0


class EdgesMeasure(MeasureDocument):
    """least, most: degrees that the surface folds by there; 0 is flat. side: which way."""

    title: ClassVar[str] = "Wear edges"
    about: ClassVar[str] = "Metres along the surface to the nearest edge that is folded so"
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.06, 0.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="least", title="Folded from", about="Flatter edges do not count", low=1, high=180, unit="°"
        ),
        Setting(
            key="most", title="Folded up to", about="Sharper edges do not count", low=1, high=180, unit="°"
        ),
        Setting(
            key="side", title="Edges", about="Which way they fold", choices=("convex", "concave", "both")
        ),
    )

    kind: Literal["edges"] = "edges"
    least: Annotated[FiniteFloat, Field(ge=0, le=180)] = 30.0
    most: Annotated[FiniteFloat, Field(ge=0, le=180)] = 180.0
    side: Literal["convex", "concave", "both"] = "convex"

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(), (round_length(size / 80), 0.0)


@numba.njit(cache=True, nogil=True, parallel=True)
def _folds(corners: F32, triangles: U32, normals: F32, faces: I32, uses: I32) -> F64:
    """(edges,) degrees that the surface folds by, negative where it is concave; NaN where no two faces with area meet."""
    out = np.full(faces.shape[0], np.nan)
    for e in numba.prange(faces.shape[0]):
        if uses[e] != 2:
            continue
        one, other = faces[e, 0], faces[e, 1]
        between, rise, size_one, size_other = 0.0, 0.0, 0.0, 0.0
        for axis in range(3):
            a, b = float(normals[one, axis]), float(normals[other, axis])
            between += a * b
            size_one += a * a
            size_other += b * b
            way = 0.0
            for corner in range(3):
                way += float(corners[triangles[other, corner], axis]) - corners[triangles[one, corner], axis]
            rise += way * a
        # A triangle without area has no normal to fold by.
        if size_one > 0 and size_other > 0:
            fold = np.degrees(np.arccos(min(1.0, max(-1.0, between))))
            out[e] = -fold if rise > 0 else fold
    return out


def folded_edges(body: Body, wanted: EdgesMeasure) -> tuple[F32, F32]:
    """Ends (edges, 2, 3) from the middle, and normals (edges, 2, 3) of the two faces at each."""
    mesh = body.mesh
    corners = (mesh.positions.astype(np.float64) - body.middle).astype(np.float32)
    found = edges_between(place_of_vertex(mesh)[mesh.triangles])
    normals = unit_normals(corners, mesh.triangles.astype(np.int32))
    fold = _folds(corners, mesh.triangles, normals, found.faces, found.uses)
    bent = np.abs(fold)
    right = (bent >= wanted.least) & (bent <= wanted.most)
    if wanted.side != "both":
        right &= fold > 0 if wanted.side == "convex" else fold < 0
    chosen = np.flatnonzero(right)
    any_corner = np.zeros(int(found.ends.max(initial=0)) + 1, np.int64)
    any_corner[place_of_vertex(mesh)] = np.arange(mesh.vertex_count)
    ends = corners[any_corner[found.ends[chosen]]]
    return ends, normals[found.faces[chosen]]


def nearest_segment(body: Body, ends: F32, normals: F32 | None, facing: float, progress: Progress) -> F64:
    """(k,) metres from each site to the nearest of segments (n, 2, 3); the body's size where there is none.

    normals: (n, 2, 3) of the faces at each, one of which must look as the site does within `facing` degrees.
    """
    if ends.shape[0] == 0:
        return np.full(body.positions.shape[0], body.size)
    flat = ends.reshape(-1, 3)
    segments = np.arange(flat.shape[0], dtype=np.uint32).reshape(-1, 2)[:, [0, 1, 1]]
    if normals is None:
        hits = ClosestTree(flat, segments).closest(body.positions, progress=progress)
    else:
        tree = ClosestTree(flat, np.repeat(segments, 2, axis=0), normals=normals.reshape(-1, 3))
        hits = tree.closest(body.positions, body.normals, facing, progress=progress)
    return np.where(hits.faces >= 0, np.minimum(hits.distances, body.size), body.size)


def _on(body: Body, wanted: EdgesMeasure, progress: Progress) -> F32:
    return body.on_all(nearest_segment(body, *folded_edges(body, wanted), FACING, progress))


EDGES = measure(EdgesMeasure, on=_on)
