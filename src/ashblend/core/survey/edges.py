"""How far the nearest edge lies that the surface turns at, at once or within a length (folds.py): where edges wear.

The straight way to the nearest edge whose own faces look about as the place does, which on the faces beside an edge is
the way along the surface; so widths are in metres on any cut into triangles, and on texels of a box of twelve triangles.
Tried: marching from the edges' vertices; on coarse meshes nothing lies between two edges, and texels knew of no vertex.
"""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.sites.closest import ClosestTree, unit_normals
from ashblend.core.sites.edges import edges_between, place_of_vertex
from ashblend.core.source_document import Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.folds import bends_within, folds
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length

# An edge's faces are turned from a place on them by less, however much its normal is smoothed.
FACING = 75.0


class EdgesMeasure(MeasureDocument):
    """least, most: degrees that the surface turns by there; 0 is flat. within: metres in which it does; 0 is at one edge
    alone. side: which way.
    """

    title: ClassVar[str] = "Wear edges"
    about: ClassVar[str] = "Metres along the surface to the nearest edge that is folded so"
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.06, 0.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="least", title="Folded from", about="Flatter edges do not count", low=1, high=180, unit="°"
        ),
        Setting(
            key="most", title="Folded up to", about="Sharper edges do not count", low=1, high=360, unit="°"
        ),
        Setting(
            key="within",
            title="Within",
            about="What turns so far within this length is one edge, however many strips round it",
            low=0.001,
            high=2,
            unit="m",
            logarithmic=True,
        ),
        Setting(
            key="side", title="Edges", about="Which way they fold", choices=("convex", "concave", "both")
        ),
    )

    kind: Literal["edges"] = "edges"
    least: Annotated[FiniteFloat, Field(ge=0, le=180)] = 30.0
    most: Annotated[FiniteFloat, Field(ge=0, le=360)] = 360.0
    within: Annotated[FiniteFloat, Field(ge=0, le=1e4)] = 0.0
    side: Literal["convex", "concave", "both"] = "convex"

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(within=round_length(size / 200)), (round_length(size / 80), 0.0)


def folded_edges(body: Body, wanted: EdgesMeasure) -> tuple[F32, F32]:
    """Ends (edges, 2, 3) from the middle, and normals (edges, 2, 3) of the first two faces at each."""
    mesh = body.mesh
    corners = (mesh.positions.astype(np.float64) - body.middle).astype(np.float32)
    found = edges_between(place_of_vertex(mesh)[mesh.triangles])
    normals = unit_normals(corners, mesh.triangles.astype(np.int32))
    shape = (corners, mesh.triangles, normals, found.of_face, found.faces, found.uses)
    turned = bends_within(*shape, folds(*shape), wanted.within, wanted.least)
    bent = np.abs(turned)
    right = (bent >= wanted.least) & (bent <= wanted.most) & (bent > 0)
    if wanted.side != "both":
        right &= turned > 0 if wanted.side == "convex" else turned < 0
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
