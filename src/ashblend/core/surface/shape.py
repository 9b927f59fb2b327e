"""The mesh of a surface with its levels, and the sites on them, worked out when first needed."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from ashblend.core.arrays import F32, F64, I64, U16, U32
from ashblend.core.blend.inputs import SurfaceInputs, surface_inputs
from ashblend.core.prepare.facts import mesh_facts
from ashblend.core.prepare.grain import grain
from ashblend.core.sites.fingerprint import shape_name
from ashblend.core.sites.lineage import Mixed
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import MeshVertices, mesh_vertices
from ashblend.core.sites.patch import Places
from ashblend.core.sites.protocol import Sites
from ashblend.core.sites.uv_texels import UVTexels
from ashblend.core.surface.measures import Measures
from ashblend.core.surface.over import height_over
from ashblend.core.surface.refusal import Refusal
from ashblend.core.terrain.sites import TerrainSites
from ashblend.core.terrain.terrain import Terrain

# Heights (rows, cols) of a whole terrain; first column and row of a part of it, how many columns and rows.
HeightsPart = tuple[F32, int, int, int, int]


@dataclass(frozen=True)
class LevelState:
    """A lower level of detail. carry: from the vertices of level 0 to its own.

    old: it was made from a mesh whose place another has taken since.
    """

    name: str
    mesh: Mesh
    carry: Mixed
    old: bool = False


class Shape:
    """number: revision of the mesh and of what lies on it; windows load it anew by that."""

    def __init__(self, mesh: Mesh, levels: tuple[LevelState, ...] = (), number: int = 0) -> None:
        self.number = number
        self.mesh = mesh
        self.levels = levels
        self._vertices: dict[int, MeshVertices] = {}
        self._inputs: dict[int, SurfaceInputs] = {}
        self._texels: dict[tuple[int, int], UVTexels] = {}
        self._grain: dict[int, F32] = {}
        self.measures = self._made_measures()

    @property
    def name(self) -> str:
        """By the shape of its mesh; what was made from another is known as stale by it."""
        return shape_name(self.mesh)

    def _made_measures(self) -> Measures:
        return Measures(self._mesh_under)

    def _mesh_under(self, sites: Sites) -> Mesh:
        """The mesh that sites lie on."""
        levels = enumerate(self._meshes())
        return next((mesh for level, mesh in levels if self._vertices.get(level) is sites), self.mesh)

    def taking_over(self, *others: "Shape | None") -> "Shape":
        """With what others have worked out already about the same meshes."""
        for other in others:
            if other is None:
                continue
            theirs = {id(mesh): level for level, mesh in enumerate(other._meshes())}
            for level, mesh in enumerate(self._meshes()):
                known = theirs.get(id(mesh), -1)
                if known in other._vertices:
                    self._vertices.setdefault(level, other._vertices[known])
                if known in other._inputs:
                    self._inputs.setdefault(level, other._inputs[known])
                if known in other._grain:
                    self._grain.setdefault(level, other._grain[known])
            shared: list[Sites] = []
            if other.mesh is self.mesh:
                self._texels = {**other._texels, **self._texels}
                shared = [*self._vertices.values(), *self._texels.values()]
            self.measures.take_over(other.measures, shared)
        return self

    def _meshes(self) -> tuple[Mesh, ...]:
        return (self.mesh, *self.level_meshes())

    def mesh_of(self, level: int) -> Mesh:
        """Raises IndexError."""
        return self.mesh if level == 0 else self.levels[level - 1].mesh

    def vertices(self, level: int = 0) -> MeshVertices:
        if level not in self._vertices:
            self._vertices[level] = mesh_vertices(self.mesh_of(level))
        return self._vertices[level]

    def inputs(self, level: int = 0) -> SurfaceInputs:
        if level not in self._inputs:
            sites = self.vertices(level)
            self._inputs[level] = surface_inputs(self.mesh_of(level), sites.positions, sites.normals)
        return self._inputs[level]

    def grain(self, level: int = 0) -> F32:
        """(vertices,) metres to the neighbours."""
        if level not in self._grain:
            self._grain[level] = grain(self.vertices(level))
        return self._grain[level]

    def texels(self, size: int, uv: int = 0) -> UVTexels:
        """Of a UV set. Raises ValueError without it."""
        if (size, uv) not in self._texels:
            self._texels[size, uv] = UVTexels(self.mesh, self.vertices().normals, size, uv)
        return self._texels[size, uv]

    # What not every surface has

    def grid(self, rows: int, cols: int, shift: float) -> TerrainSites:
        """Sites on a grid over a terrain. Raises ValueError on other surfaces."""
        raise ValueError("This surface is a mesh: it has no grid of heights.")

    def dropped(self, places: F64) -> tuple[F64, F64]:
        """Places (k, 3) brought down onto the ground, and normals (k, 3). Raises Refusal on what is no terrain."""
        raise Refusal("A path follows terrain.", "Draw a stroke instead.")

    def height_over(self, x: float, z: float) -> float | None:
        """Metres: the highest place straight above or below (x, z); None beside the surface."""
        return height_over(self.mesh.positions.astype(np.float64), self.mesh.triangles, x, z)

    def closest_on(self, level: int) -> tuple[F32, U32, Callable[[U32, F64], Places]]:
        """Positions (n, 3), triangles (m, 3) to look for the closest place on, and where on the mesh that is."""
        mesh = self.mesh_of(level)
        return mesh.positions, mesh.triangles, lambda faces, shares: Places(faces.astype(np.int32), shares)

    def require_mesh(self) -> None:
        """Raises Refusal where vertices and faces cannot be changed."""

    def steered(self, rows: I64, cols: I64, values: U16) -> bool:
        """Take heights at grid corners from a channel; whether anything moved by it."""
        return False

    def moved_heights(self, sites: Sites, changed: U32) -> list[HeightsPart]:
        """The part of the heights that sites of a grid lie in, after it moved by them."""
        return []

    # Whether it is made of heights, and goes out as them.
    grown: ClassVar[bool] = False

    def ground(self) -> tuple[Terrain, F32]:
        """The terrain, and its heights as they are now. Raises Refusal on what is none."""
        raise Refusal("This surface is a mesh.", "Export it as a mesh.")

    def heights_of_file(self) -> F32:
        """(rows, cols) metres as they came in. Raises Refusal on what is no terrain."""
        raise Refusal("This surface is a mesh.", "Load the surface again.")

    def painted_heights(self) -> list[HeightsPart]:
        """Parts of the heights that are not as they came in."""
        return []

    @property
    def lie(self) -> str:
        """Short name of how the surface lies, where painting can change that."""
        return ""

    def facts(self) -> dict[str, Any]:
        """What is told of it."""
        return mesh_facts(self.mesh, self.vertices())

    def level_meshes(self) -> tuple[Mesh, ...]:
        return tuple(level.mesh for level in self.levels)
