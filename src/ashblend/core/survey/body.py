"""A mesh with sites on it, as its measures ask it: places, who is next to whom, triangles that rays meet.

What several measures ask for is worked out once and kept as long as the sites are.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import cached_property
from types import MappingProxyType
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.sites.diffuse import Flow, flow_over, spread_out
from ashblend.core.sites.march import point_means, spread_to_sites
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import MeshVertices, mesh_vertices
from ashblend.core.sites.patch import Graph, Patch
from ashblend.core.sites.protocol import Sites, windows
from ashblend.core.sites.uv_texels import UVTexels
from ashblend.core.survey.around import Around
from ashblend.core.survey.lent import ChannelOf, Lent
from ashblend.core.survey.rays import Rays, Spots

# How far from the surface a ray begins, as a share of its size: float32 tells places apart to 6e-8 of it.
LIFTED = 4e-6


def without_borders(mesh: Mesh, sites: Sites) -> Sites:
    """The same sites on the shape alone. A hard border keeps paint apart: no water, no light and no way along it."""
    if mesh.sides is None:
        return sites
    shape = replace(mesh, sides=None, split_from=None)
    vertices = mesh_vertices(shape)
    return (
        UVTexels(shape, vertices.normals, sites.size, sites.uv) if isinstance(sites, UVTexels) else vertices
    )


class Body:
    """around: what stands around it. lent: channels that measures of it are made from.

    sites: where it is asked, as paint lies on them. whole: the same, as they lie on the shape.
    """

    def __init__(
        self,
        mesh: Mesh,
        sites: Sites,
        around: Around = Around(),  # noqa: B008 it is frozen
        lent: Mapping[ChannelOf, Callable[[], Lent]] = MappingProxyType({}),
    ) -> None:
        self.mesh = mesh
        self.sites = sites
        self._around = around
        self._lent = lent
        low, high = mesh.positions.min(axis=0), mesh.positions.max(axis=0)
        # Rays are told in float32: far from the origin of the world every one would meet its own face.
        self.middle: F64 = (low.astype(np.float64) + high.astype(np.float64)) / 2
        self.size = max(float(np.linalg.norm(high.astype(np.float64) - low)), 1e-9)

    def with_mesh(self, mesh: Mesh) -> "Body":
        """The same surroundings round the vertices of another mesh."""
        return Body(mesh, mesh_vertices(mesh), self._around, self._lent)

    @property
    def lift(self) -> float:
        """Metres over the surface where rays begin."""
        return LIFTED * self.size

    def lent(self, channel: ChannelOf | None) -> Lent:
        """Raises ValueError for a channel that is not there."""
        asked = self._lent.get(channel) if channel is not None else None
        if asked is None:
            raise ValueError("The channel that it is made from is not there.")
        return asked()

    # Places

    @cached_property
    def whole(self) -> Sites:
        return without_borders(self.mesh, self.sites)

    @cached_property
    def all_sites(self) -> U32:
        """(k,) numbers of the sites, ascending within tiles."""
        return np.concatenate([window.sites for window in windows(self.sites)])

    @cached_property
    def positions(self) -> F32:
        """(k, 3) metres from the middle."""
        parts = [window.positions.astype(np.float64) - self.middle for window in windows(self.whole)]
        return np.concatenate(parts).astype(np.float32)

    @cached_property
    def normals(self) -> F32:
        """(k, 3)."""
        return np.concatenate([window.normals for window in windows(self.whole)])

    @cached_property
    def spots(self) -> Spots:
        """Where rays begin."""
        whole = self.whole
        if isinstance(whole, MeshVertices):
            numbers = whole.weld.point_of_site[self.all_sites]
        else:
            numbers = np.arange(self.all_sites.shape[0], dtype=np.int32)
        return Spots(self.positions, self.normals, numbers)

    def on_all(self, values: F32 | F64) -> F32:
        """Values (k,) of the sites by their numbers (extent,)."""
        out = np.zeros(self.sites.layout.extent, np.float32)
        out[self.all_sites] = values
        return out

    # Along the surface

    @cached_property
    def _everything(self) -> tuple[Patch, Graph]:
        return self.whole.everything()

    @property
    def points(self) -> Patch:
        """Points, which are one or more sites at one place."""
        return self._everything[0]

    @property
    def graph(self) -> Graph:
        return self._everything[1]

    @cached_property
    def areas_of_points(self) -> F64:
        """(points,) m²."""
        areas = np.concatenate([window.areas for window in windows(self.whole)])
        of_site = self.on_all(areas)[self.points.sites].astype(np.float64)
        return np.asarray(np.add.reduceat(of_site, self.points.offsets[:-1]))

    @cached_property
    def _flow(self) -> Flow:
        return flow_over(self.graph)

    def spread(self, values: F64, metres: float) -> F64:
        """Values (points,) blurred along the surface to a standard deviation of so many metres."""
        return spread_out(self._flow, values, metres) if metres > 0 else values

    def spread_out(self, values: F32, metres: float) -> F32:
        """Values (extent,) evened out; see `spread`."""
        return self.of_points(self.spread(self.to_points(values), metres))

    def of_points(self, values: F64) -> F32:
        """Values (points,) by the numbers of their sites (extent,)."""
        return spread_to_sites(self.whole, self.points, values, 0.0).astype(np.float32)

    def to_points(self, values: F32) -> F64:
        """Mean (points,) of values (extent,)."""
        return point_means(self.points, values.astype(np.float64))

    # What is in the way

    @cached_property
    def _own(self) -> F32:
        corners = self.mesh.positions.astype(np.float64) - self.middle
        return np.ascontiguousarray(corners[self.mesh.triangles], np.float32)

    @cached_property
    def alone(self) -> Rays:
        """Rays that meet this surface."""
        return Rays(self._own)

    def around(self, other: UUID | None = None) -> F32:
        """(n, 3, 3) corners of what stands around it, from the middle. other: of one surface only."""
        return (self._around.corners(other).astype(np.float64) - self.middle).astype(np.float32)

    @cached_property
    def amid(self) -> Rays:
        """Rays that meet this surface or what stands around it."""
        around = self.around()
        return Rays(np.concatenate([self._own, around])) if around.size else self.alone
