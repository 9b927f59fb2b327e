"""How far a place lies from something: along the surface or through the air.

Along it by fast marching (sites/march.py); through the air the straight way (Ericson 2005).
"""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.progress import Progress
from ashblend.core.sites.closest import ClosestTree
from ashblend.core.sites.edges import edges_between, place_of_vertex
from ashblend.core.sites.march import distances_from, march
from ashblend.core.source_document import Setting, Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.edges import nearest_segment
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length

# A way along a surface may be longer than the surface is large.
WINDING = 4.0


class DistanceMeasure(MeasureDocument):
    """of: what it is the distance to. height: in metres, where it is to a height. way: along the surface or straight."""

    title: ClassVar[str] = "Distance"
    about: ClassVar[str] = (
        "Metres to the surface's open borders, borders of groups, a height or the neighbours"
    )
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.3, 0.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="of",
            title="To",
            about="What it is the distance to",
            choices=("open borders", "group borders", "a height", "neighbours"),
        ),
        Setting(
            key="height", title="The height", about="Where it is to a height", low=-20, high=20, unit="m"
        ),
        Setting(
            key="way",
            title="Way",
            about="Neighbours are reached through the air",
            choices=("along", "straight"),
        ),
    )

    kind: Literal["distance"] = "distance"
    of: Literal["open borders", "group borders", "a height", "neighbours"] = "open borders"
    height: Annotated[FiniteFloat, Field(ge=-1e5, le=1e5)] = 0.0
    way: Literal["along", "straight"] = "along"

    @property
    def amid(self) -> bool:
        return self.of == "neighbours"

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(), (round_length(size / 10), 0.0)


def _border_segments(body: Body, groups: bool) -> F32:
    """(n, 2, 3) from the middle: edges of one triangle alone, or between two groups."""
    mesh = body.mesh
    places = place_of_vertex(mesh)
    found = edges_between(places[mesh.triangles])
    if groups:
        group = mesh.group_of_face
        chosen = (found.uses >= 2) & (group[found.faces[:, 0]] != group[found.faces[:, 1]])
    else:
        chosen = found.uses == 1
    somewhere = np.zeros(int(places.max(initial=0)) + 1, np.int64)
    somewhere[places] = np.arange(mesh.vertex_count)
    ends = mesh.positions.astype(np.float64)[somewhere[found.ends[chosen]]] - body.middle
    return ends.astype(np.float32)


def _from_height(body: Body, height: float) -> F64:
    """(extent,) metres along the surface from where it crosses a height."""
    graph, normals = body.graph, body.points.normals.astype(np.float64)
    over = graph.positions[:, 1].astype(np.float64) - height
    count = graph.offsets.shape[0] - 1
    owner = np.repeat(np.arange(count), np.diff(graph.offsets))
    low, high = over[:count].copy(), over[:count].copy()
    inside = (graph.fans >= 0).all(axis=1)
    for side in (0, 1):
        corner = over[graph.fans[inside, side]]
        np.minimum.at(low, owner[inside], corner)
        np.maximum.at(high, owner[inside], corner)
    seeds = np.flatnonzero((low <= 0) & (high >= 0)).astype(np.int32)
    # As far as the height is away down the slope of the place itself.
    slope = np.sqrt(np.clip(1 - normals[seeds, 1] ** 2, 0, 1))
    away = np.abs(over[seeds]) / np.maximum(slope, 1e-3)
    rows, along = march(graph, seeds, np.minimum(away, body.size), WINDING * body.size, fronts=True)
    out = np.full(count, body.size)
    out[rows] = along
    return body.of_points(out).astype(np.float64)


def _on(body: Body, wanted: DistanceMeasure, progress: Progress) -> F32:
    if wanted.amid:
        flat = body.around.reshape(-1, 3)
        if flat.shape[0] == 0:
            raise ValueError("Nothing stands around this surface: add neighbours in Prepare.")
        tree = ClosestTree(flat, np.arange(flat.shape[0], dtype=np.uint32).reshape(-1, 3))
        return body.on_all(tree.closest(body.positions, progress=progress).distances)
    if wanted.of == "a height":
        if wanted.way == "straight":
            return body.on_all(np.abs(body.positions[:, 1] + (body.middle[1] - wanted.height)))
        return np.minimum(_from_height(body, wanted.height), body.size).astype(np.float32)
    groups = wanted.of == "group borders"
    if wanted.way == "straight":
        return body.on_all(nearest_segment(body, _border_segments(body, groups), None, 180, progress))
    seeds: list[I32] = []
    if groups:
        group = body.mesh.group_of_face
        for number in range(len(body.mesh.groups)):
            seeds.append(body.sites.border(group == number).astype(np.int32))
    else:
        seeds.append(body.sites.open_edges().astype(np.int32))
    found = np.unique(np.concatenate(seeds)).astype(np.uint32)
    far = distances_from(body.sites, found, WINDING * body.size)
    return np.minimum(far, body.size).astype(np.float32)


DISTANCE = measure(DistanceMeasure, on=_on)
