"""Sites: the places where channels hold values, and who is near whom."""

from ashblend.core.sites.grid import HashGrid, hash_grid
from ashblend.core.sites.mesh import ColourSet, Group, Mesh
from ashblend.core.sites.mesh_vertices import MeshVertices, mesh_vertices
from ashblend.core.sites.protocol import Sites
from ashblend.core.sites.uv_texels import SIZES, UVTexels
from ashblend.core.sites.weld import Weld, weld_positions

__all__ = [
    "SIZES",
    "ColourSet",
    "Group",
    "HashGrid",
    "Mesh",
    "MeshVertices",
    "Sites",
    "UVTexels",
    "Weld",
    "hash_grid",
    "mesh_vertices",
    "weld_positions",
]
