"""A triangle mesh as the formats hand it over, before anything is worked out from it."""

from dataclasses import dataclass, field

import numpy as np

from ashblend.core.arrays import F32, I32, U32


@dataclass(frozen=True)
class ColourSet:
    """One vertex colour set of a file.

    name: as in the file ("COLOR_0", "_MASK0", "rgba").
    values: (vertices, 3 or 4) float32 in 0..1, exactly the stored numbers, no colour transform.
    bits: 8, 16 or 32 (float), as stored.
    """

    name: str
    values: F32
    bits: int


@dataclass(frozen=True)
class Group:
    """A run of triangles that the file keeps apart: a primitive, a material slot, an OBJ group."""

    name: str
    first: int
    count: int


@dataclass(frozen=True, eq=False)
class Mesh:
    """Vertices in file order, in world space (node transforms applied), metres, Y up.

    positions: (n, 3). triangles: (m, 3) indices into the vertices.
    normals: (n, 3) unit, or None when the file has none. tangents: (n, 4) xyz + handedness, or None.
    uvs: one (n, 2) array for each set, glTF orientation (v runs down).
    attributes: custom per-vertex values by name, each (n, k).
    groups: runs of triangles, one after another; together they are all triangles.
    Without any given, all triangles are one group.
    sides: (m,) per triangle, or None for all zero. Triangles of unlike side share no vertex, and
    vertices of unlike side are not one point even where they share a position: a hard border.
    split_from: (n,) per vertex, the vertex that it was split from to make a hard border, or −1.
    notes: what a reader noticed and the artist should know, in plain sentences.
    """

    positions: F32
    triangles: U32
    normals: F32 | None = None
    tangents: F32 | None = None
    uvs: tuple[F32, ...] = ()
    colours: tuple[ColourSet, ...] = ()
    attributes: dict[str, F32] = field(default_factory=dict)
    groups: tuple[Group, ...] = ()
    sides: U32 | None = None
    split_from: I32 | None = None
    notes: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        if not self.groups:
            object.__setattr__(self, "groups", (Group("Mesh", 0, int(self.triangles.shape[0])),))

    @property
    def vertex_count(self) -> int:
        return int(self.positions.shape[0])

    @property
    def group_of_face(self) -> I32:
        """(m,) number of each triangle's group."""
        return np.repeat(np.arange(len(self.groups), dtype=np.int32), [group.count for group in self.groups])

    @property
    def side_of_vertex(self) -> U32:
        """(n,) side of the triangles at each vertex."""
        out = np.zeros(self.vertex_count, np.uint32)
        if self.sides is not None:
            out[self.triangles] = self.sides[:, None]
        return out
