"""How far a place lies from something: along the surface or through the air.

Along it by a front that marches (sites/geodesic.py); through the air the straight way (Ericson 2005).
"""

from typing import Annotated, ClassVar, Literal, Self
from uuid import UUID

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64, I32, U32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.sites.closest import ClosestTree
from ashblend.core.sites.edges import edges_between, place_of_vertex
from ashblend.core.sites.geodesic import distances_from, ways_along
from ashblend.core.source_document import Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.edges import nearest_segment
from ashblend.core.survey.inside import NO_GROUP, GroupName, faces_of_group, group_setting
from ashblend.core.survey.lent import ChannelOf
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length

# A way along a surface may be longer than the surface is large.
WINDING = 4.0
# From this weight on a place belongs to a painted area.
HALF = 0.5
TO = ("open borders", "group borders", "a group", "a painted area", "a height", "neighbours")


class DistanceMeasure(MeasureDocument):
    """of: what it is the distance to. height: in metres, where it is to a height. way: along the surface or straight.

    neighbour: the surface that it is to, wherever that stands around; None for the nearest of all.
    """

    title: ClassVar[str] = "Distance"
    about: ClassVar[str] = (
        "Metres to open borders, groups or their borders, a painted area, a height or the neighbours"
    )
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.3, 0.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="of",
            title="To",
            about="What it is the distance to",
            choices=TO,
        ),
        group_setting(("of", ("a group",))),
        Setting(
            key="area",
            title="Painted in",
            about="A channel: the area is where it holds half or more",
            pick="channel",
            only=("of", ("a painted area",)),
        ),
        Setting(
            key="height",
            title="The height",
            about="In metres",
            low=-20,
            high=20,
            unit="m",
            only=("of", ("a height",)),
        ),
        Setting(
            key="neighbour",
            title="Which",
            about="One of the surfaces that stand around, or the nearest of all",
            pick="neighbour",
            free=True,
            only=("of", ("neighbours",)),
        ),
        Setting(
            key="way",
            title="Way",
            about="Along the surface, or straight through the air",
            choices=("along", "straight"),
            only=("of", tuple(to for to in TO if to != "neighbours")),
        ),
    )

    kind: Literal["distance"] = "distance"
    of: Literal["open borders", "group borders", "a group", "a painted area", "a height", "neighbours"] = (
        "open borders"
    )
    group: GroupName = ""
    area: ChannelOf | None = None
    height: Annotated[FiniteFloat, Field(ge=-1e5, le=1e5)] = 0.0
    way: Literal["along", "straight"] = "along"
    neighbour: UUID | None = None

    @property
    def amid(self) -> bool:
        return self.of == "neighbours"

    @property
    def whom(self) -> UUID | None:
        return self.neighbour if self.amid else None

    @property
    def by_faces(self) -> bool:
        return self.of in ("group borders", "a group")

    @property
    def reads(self) -> ChannelOf | None:
        return self.area if self.of == "a painted area" else None

    @property
    def lacks(self) -> str:
        if self.of == "a group" and not self.group:
            return NO_GROUP
        if self.of == "a painted area" and self.area is None:
            return "Pick the channel that holds the area."
        return ""

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
    along = ways_along(graph, seeds, np.minimum(away, body.size), WINDING * body.size)
    return body.of_points(np.minimum(along, body.size)).astype(np.float64)


def _on(body: Body, wanted: DistanceMeasure, progress: Progress) -> F32:
    if wanted.amid:
        flat = body.around(wanted.whom).reshape(-1, 3)
        if flat.shape[0] == 0:
            raise ValueError(
                "Nothing stands around this surface: add neighbours in Prepare."
                if wanted.whom is None
                else "The surface that it is the distance to does not stand around this one: add it in Prepare."
            )
        tree = ClosestTree(flat, np.arange(flat.shape[0], dtype=np.uint32).reshape(-1, 3))
        return body.on_all(tree.closest(body.positions, progress=progress).distances)
    if wanted.of == "a height":
        if wanted.way == "straight":
            return body.on_all(np.abs(body.positions[:, 1] + (body.middle[1] - wanted.height)))
        return np.minimum(_from_height(body, wanted.height), body.size).astype(np.float32)
    if wanted.of in ("a group", "a painted area"):
        return _from_area(body, wanted, progress)
    groups = wanted.of == "group borders"
    if wanted.way == "straight":
        return body.on_all(nearest_segment(body, _border_segments(body, groups), None, 180, progress))
    seeds: list[I32] = []
    if groups:
        group = body.mesh.group_of_face
        for number in range(len(body.mesh.groups)):
            seeds.append(body.whole.border(group == number).astype(np.int32))
    else:
        seeds.append(body.whole.open_edges().astype(np.int32))
    return _along(body, np.unique(np.concatenate(seeds)).astype(np.uint32))


def _along(body: Body, seeds: U32) -> F32:
    far = distances_from(body.whole, seeds, WINDING * body.size)
    return np.minimum(far, body.size).astype(np.float32)


def _from_area(body: Body, wanted: DistanceMeasure, progress: Progress) -> F32:
    """0 inside."""
    if wanted.of == "a group":
        faces = faces_of_group(body, wanted.group)
        if wanted.way == "straight":
            corners = (body.mesh.positions.astype(np.float64) - body.middle).astype(np.float32)
            tree = ClosestTree(corners, body.mesh.triangles[faces])
            return body.on_all(tree.closest(body.positions, progress=progress).distances)
        within = body.sites.on_faces(faces)(body.all_sites)
    else:
        lent = body.lent(wanted.area)
        if lent.positions.shape != body.mesh.positions.shape:
            raise ValueError("The channel that it is the distance to lies on another level of detail.")
        own = lent.sites is body.sites
        held = lent.weights(body.all_sites) if own else lent.at(body.sites.on_surface(body.all_sites))
        within = held >= HALF
        if not within.any():
            raise ValueError("Nothing is painted in the channel that it is the distance to.")
    if wanted.way == "along":
        return _along(body, body.all_sites[within])
    from scipy.spatial import cKDTree

    far, _ = cKDTree(body.positions[within]).query(body.positions, workers=-1)
    return body.on_all(far)


DISTANCE = measure(DistanceMeasure, on=_on, ground=True)
