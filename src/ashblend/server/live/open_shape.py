"""The mesh of an open surface with its levels, and the sites on them, worked out when first needed."""

from itertools import count

from ashblend.core.arrays import F32
from ashblend.core.blend import SurfaceInputs, surface_inputs
from ashblend.core.prepare.grain import grain
from ashblend.core.sites import Mesh, MeshVertices, Sites, UVTexels, mesh_vertices
from ashblend.core.sites.kinds import TexelSites, VertexSites
from ashblend.store.states import LevelState

_numbers = count(1)


class OpenShape:
    """number: another for every change of a mesh, so that work made from an old one is known as stale."""

    def __init__(self, mesh: Mesh, levels: tuple[LevelState, ...]) -> None:
        self.number = next(_numbers)
        self.mesh = mesh
        self.levels = levels
        self._vertices: dict[int, MeshVertices] = {}
        self._inputs: dict[int, SurfaceInputs] = {}
        self._texels: dict[int, UVTexels] = {}
        self._grain: dict[int, F32] = {}

    def mesh_of(self, level: int) -> Mesh:
        """Raises IndexError."""
        return self.mesh if level == 0 else self.levels[level - 1].mesh

    def vertices(self, level: int = 0) -> MeshVertices:
        if level not in self._vertices:
            self._vertices[level] = mesh_vertices(self.mesh_of(level))
        return self._vertices[level]

    def inputs(self, level: int = 0) -> SurfaceInputs:
        if level not in self._inputs:
            self._inputs[level] = surface_inputs(self.mesh_of(level), self.vertices(level))
        return self._inputs[level]

    def grain(self, level: int = 0) -> F32:
        """(vertices,) metres to the neighbours."""
        if level not in self._grain:
            self._grain[level] = grain(self.vertices(level))
        return self._grain[level]

    def texels(self, size: int) -> UVTexels:
        """Raises ValueError without UVs."""
        if size not in self._texels:
            self._texels[size] = UVTexels(self.mesh, self.vertices().normals, size)
        return self._texels[size]

    def sites(self, kind: VertexSites | TexelSites) -> Sites:
        return self.texels(kind.size) if isinstance(kind, TexelSites) else self.vertices(kind.level)

    def level_meshes(self) -> tuple[Mesh, ...]:
        return tuple(level.mesh for level in self.levels)
