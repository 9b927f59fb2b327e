"""The shape that a mesh asks for."""

from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.shape import LevelState, Shape
from ashblend.core.surface.terrain_shape import TerrainShape
from ashblend.core.terrain.frame import TerrainMesh

# Of each kind of mesh that has a shape of its own.
SHAPES: dict[type[Mesh], type[Shape]] = {Mesh: Shape, TerrainMesh: TerrainShape}


def shape_of(mesh: Mesh, levels: tuple[LevelState, ...] = (), number: int = 0) -> Shape:
    """See `Shape`."""
    return SHAPES[type(mesh)](mesh, levels, number)
