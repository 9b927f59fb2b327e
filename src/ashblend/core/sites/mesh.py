"""A triangle mesh as the formats hand it over, before anything is worked out from it."""

from dataclasses import dataclass, field

from ashblend.core.arrays import F32, U32


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


@dataclass(frozen=True)
class Mesh:
    """Vertices in file order, in world space (node transforms applied), metres, Y up.

    positions: (n, 3). triangles: (m, 3) indices into the vertices.
    normals: (n, 3) unit, or None when the file has none. tangents: (n, 4) xyz + handedness, or None.
    uvs: one (n, 2) array for each set, glTF orientation (v runs down).
    attributes: custom per-vertex values by name, each (n, k).
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
    notes: tuple[str, ...] = ()

    @property
    def vertex_count(self) -> int:
        return int(self.positions.shape[0])
