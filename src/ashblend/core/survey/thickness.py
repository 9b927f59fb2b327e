"""How thick the surface is under a place.

Rays inward in a cone, each as deep as it goes along the inward normal, and the mean of them: a slab is as thick as it
is, however the rays lean. Source of the cone: Shapira, Shamir and Cohen-Or (2008), The Visual Computer 24(4), who take
the rays' own lengths.
"""

from typing import Annotated, ClassVar, Literal, Self

import numba
import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.sites.closest import unit_normals
from ashblend.core.sites.mesh_vertices import MeshVertices
from ashblend.core.source_document import Unit
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import MeasureDocument, measure, round_length
from ashblend.core.survey.rays import GLIMPSED, ROUGHLY, Spots, rays_setting

# Cosines: triangles at a place that look about alike; what looks away enough to be the other side.
ALIKE, AWAY = 0.866, 0.26


class ThicknessMeasure(MeasureDocument):
    """metres: thicker than that is as thick. width: degrees across the cone."""

    title: ClassVar[str] = "Thickness"
    about: ClassVar[str] = "How thick it is under a place, in metres: thin parts let light through and break"
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.2, 0.02)
    coarsely: ClassVar[bool] = True
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="metres",
            title="Up to",
            about="Thicker than that is as thick",
            low=0.01,
            high=20,
            unit="m",
            logarithmic=True,
        ),
        Setting(key="width", title="Width", about="Across the cone of rays", low=0, high=120, unit="°"),
        rays_setting(8, 256),
    )

    kind: Literal["thickness"] = "thickness"
    metres: Annotated[FiniteFloat, Field(gt=0, le=1e5)] = 1.0
    width: Annotated[FiniteFloat, Field(ge=0, le=170)] = 50.0
    rays: Annotated[int, Field(ge=1, le=1024)] = 32

    @classmethod
    def fitted(cls, size: float) -> tuple[Self, tuple[float, float]]:
        return cls(metres=round_length(size / 4)), (round_length(size / 20), round_length(size / 200))

    @property
    def rough(self) -> Self | None:
        return self.model_copy(update={"rays": ROUGHLY}) if self.rays > ROUGHLY else None

    @property
    def glimpse(self) -> Self:
        return self.itself.model_copy(update={"rays": min(self.rays, GLIMPSED)})


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _sides(place_of_corner: I32, normals: F32, doubled: F64, mean: F32) -> tuple[I32, F32]:
    """Places, each once for each way that its triangles look (k,), and those ways (k, 3).

    place_of_corner: (m, 3). normals, doubled: of the triangles, with their areas. mean: (places, 3) where they all look
    about alike.
    """
    count = mean.shape[0]
    first = np.zeros(count + 1, np.int32)
    for t in range(place_of_corner.shape[0]):
        for i in range(3):
            first[place_of_corner[t, i] + 1] += 1
    for p in range(count):
        first[p + 1] += first[p]
    at, faces = first[:-1].copy(), np.empty(first[-1], np.int32)
    for t in range(place_of_corner.shape[0]):
        for i in range(3):
            p = place_of_corner[t, i]
            faces[at[p]] = t
            at[p] += 1
    owners, ways = (
        np.empty(faces.shape[0] + count, np.int32),
        np.empty((faces.shape[0] + count, 3), np.float32),
    )
    found = 0
    for p in range(count):
        alike = True
        for j in range(first[p], first[p + 1]):
            t = faces[j]
            dot = normals[t, 0] * mean[p, 0] + normals[t, 1] * mean[p, 1] + normals[t, 2] * mean[p, 2]
            # What looks away from the whole is folded over: a sliver, and no side.
            alike = alike and (dot >= ALIKE or dot <= 0 or doubled[t] == 0)
        if alike:
            owners[found], ways[found] = p, mean[p]
            found += 1
            continue
        begin = found
        for j in range(first[p], first[p + 1]):
            t = faces[j]
            dot = normals[t, 0] * mean[p, 0] + normals[t, 1] * mean[p, 1] + normals[t, 2] * mean[p, 2]
            if doubled[t] == 0 or dot <= 0:
                continue
            of = -1
            for k in range(begin, found):
                size = np.sqrt((ways[k] ** 2).sum())
                if (normals[t] * ways[k]).sum() >= ALIKE * size:
                    of = k
                    break
            if of < 0:
                of = found
                owners[of] = p
                ways[of] = np.float32(0)
                found += 1
            ways[of] += normals[t] * np.float32(doubled[t])
        for k in range(begin, found):
            ways[k] /= np.sqrt((ways[k] ** 2).sum())
    return owners[:found], ways[:found]


def _looked_from(body: Body, normals: F32, doubled: F64) -> tuple[I32, Spots, F32]:
    """Which place each look is of, from where, under what all its sides lean to, and outward ways (k, 3), one for each side."""
    sites = body.positions.shape[0]
    if not isinstance(body.whole, MeshVertices):
        own = normals[body.whole.on_surface(body.all_sites).faces]
        ways = np.where((own != 0).any(axis=1)[:, None], own, body.normals)
        return np.arange(sites, dtype=np.int32), body.spots, ways.astype(np.float32)
    place = body.spots.numbers
    of_vertex = np.zeros(body.mesh.vertex_count, np.int32)
    of_vertex[body.all_sites] = place
    count = int(place.max(initial=-1)) + 1
    mean, at = np.zeros((count, 3), np.float32), np.zeros((count, 3), np.float32)
    mean[place], at[place] = body.normals, body.positions
    owners, ways = _sides(of_vertex[body.mesh.triangles], normals, doubled, mean)
    return owners, Spots(at[owners], mean[owners], owners), ways


def _on(body: Body, wanted: ThicknessMeasure, progress: Progress) -> F32:
    count = wanted.rays if wanted.width > 0 else 1
    corners = (body.mesh.positions.astype(np.float64) - body.middle).astype(np.float32)
    normals = unit_normals(corners, body.mesh.triangles.astype(np.int32))
    doubled = np.linalg.norm(normals, axis=1).astype(np.float64)
    owners, spots, outward = _looked_from(body, normals, doubled)
    inward = -outward

    def summed(span: slice, _: F32, directions: F32, met: tuple[F32, I32]) -> F64:
        far, faces = (part.reshape(-1, count) for part in met)
        rays = directions.reshape(-1, count, 3)
        along = np.einsum("kij,kj->ki", rays, inward[span])
        deep = np.minimum(far * along + np.float32(body.lift), np.float32(wanted.metres))
        # What it leaves by looks away from where it went in, or it only cut a corner.
        opposite = (faces < 0) | (np.einsum("kij,kj->ki", normals[faces], inward[span]) > AWAY)
        told = opposite.sum(axis=1)
        mean = np.where(opposite, deep, 0).sum(axis=1) / np.maximum(told, 1)
        # Nothing lies opposite: told as below all that is, and taken where no side has anything.
        return np.asarray(np.where(told > 0, mean, -deep.mean(axis=1)), np.float64)

    spread = float(np.cos(np.radians(wanted.width / 2)))
    rays = body.alone
    told = rays.over(rays.met, spots, inward, count, spread, False, -body.lift, summed, progress)
    places = int(owners.max(initial=-1)) + 1
    opposite, nearest = np.full(places, np.inf), np.full(places, np.inf)
    np.minimum.at(opposite, owners, np.where(told >= 0, told, np.inf))
    np.minimum.at(nearest, owners, np.abs(told))
    thinnest = np.where(np.isfinite(opposite), opposite, nearest)
    return body.on_all(thinnest[body.spots.numbers])


THICKNESS = measure(ThicknessMeasure, on=_on)
