"""The mesh of a surface with its levels, and the sites on them, worked out when first needed."""

from dataclasses import dataclass

from ashblend.core.arrays import F32
from ashblend.core.blend.inputs import SurfaceInputs, surface_inputs
from ashblend.core.prepare.grain import grain
from ashblend.core.sites import Mesh, MeshVertices, UVTexels, mesh_vertices
from ashblend.core.sites.lineage import Mixed


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
    """number: revision of the mesh; work made from an older one is known as stale by it."""

    def __init__(self, mesh: Mesh, levels: tuple[LevelState, ...] = (), number: int = 0) -> None:
        self.number = number
        self.mesh = mesh
        self.levels = levels
        self._vertices: dict[int, MeshVertices] = {}
        self._inputs: dict[int, SurfaceInputs] = {}
        self._texels: dict[tuple[int, int], UVTexels] = {}
        self._grain: dict[int, F32] = {}

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
            if other.mesh is self.mesh:
                self._texels = {**other._texels, **self._texels}
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

    def level_meshes(self) -> tuple[Mesh, ...]:
        return tuple(level.mesh for level in self.levels)
