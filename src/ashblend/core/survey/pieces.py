"""A number at random for each connected part or each group: stones that differ, leaves that sway out of step."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.sites.edges import place_of_vertex
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import MeasureDocument, measure

UNLIKE = np.uint64(0x9E3779B97F4A7C15)


def part_of_faces(body: Body) -> I32:
    """(m,) number of the connected part that each triangle belongs to, by places, in order of first triangles."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    places = place_of_vertex(body.mesh)[body.mesh.triangles]
    one, other = places[:, [0, 1]].reshape(-1), places[:, [1, 2]].reshape(-1)
    count = int(places.max(initial=0)) + 1
    links = coo_matrix((np.ones(one.shape[0], np.int8), (one, other)), shape=(count, count))
    label = connected_components(links, directed=False)[1][places[:, 0]]
    _, first, part = np.unique(label, return_index=True, return_inverse=True)
    rank = np.empty(first.shape[0], np.int32)
    rank[np.argsort(first)] = np.arange(first.shape[0], dtype=np.int32)
    return np.asarray(rank[part], np.int32)


def part_of_sites(body: Body) -> I32:
    """(k,) number of the part that each site lies on."""
    faces = body.sites.on_surface(body.all_sites).faces
    return np.where(faces >= 0, part_of_faces(body)[np.maximum(faces, 0)], 0).astype(np.int32)


def random_of(numbers: I32, seed: int) -> F64:
    """(k,) 0..1 by whole numbers. Source: SplitMix64 (Steele, Lea and Flood 2014, OOPSLA)."""
    z = (numbers.astype(np.uint64) + np.uint64(1) + np.uint64(seed) * np.uint64(1_000_003)) * UNLIKE
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z ^= z >> np.uint64(31)
    return np.asarray((z >> np.uint64(11)).astype(np.float64) / float(1 << 53))


class PiecesMeasure(MeasureDocument):
    """of: what has a number of its own. seed: another one, other numbers."""

    title: ClassVar[str] = "Random per part"
    about: ClassVar[str] = "A number at random for each connected part or each group"
    ends: ClassVar[tuple[float, float]] = (0.0, 1.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(key="of", title="For each", about="What has a number of its own", choices=("part", "group")),
        Setting(key="seed", title="Seed", about="Another number, other numbers", low=0, high=99, whole=True),
    )

    kind: Literal["pieces"] = "pieces"
    of: Literal["part", "group"] = "part"
    seed: Annotated[int, Field(ge=0, le=9999)] = 1

    @property
    def by_faces(self) -> bool:
        return True


def _on(body: Body, wanted: PiecesMeasure, _: Progress) -> F32:
    if wanted.of == "part":
        numbers = part_of_sites(body)
    else:
        faces = body.sites.on_surface(body.all_sites).faces
        numbers = np.where(faces >= 0, body.mesh.group_of_face[np.maximum(faces, 0)], 0).astype(np.int32)
    return body.on_all(random_of(numbers, wanted.seed))


PIECES = measure(PiecesMeasure, on=_on)
