"""Sites: the places where channels hold values, and who is near whom."""

from ashblend.core.sites.fingerprint import faces_name, shape_name
from ashblend.core.sites.layout import TILE, Layout, tiles_of
from ashblend.core.sites.mesh import ColourSet, Group, Mesh
from ashblend.core.sites.mesh_vertices import MeshVertices, mesh_vertices
from ashblend.core.sites.patch import Graph, Patch, Places, Points, Sample, Window
from ashblend.core.sites.protocol import Neighbourhood, Sites, bare_windows, windows
from ashblend.core.sites.uv_texels import SIZES, UVTexels
from ashblend.core.sites.weld import Weld, weld_positions

__all__ = [
    "SIZES",
    "TILE",
    "ColourSet",
    "Graph",
    "Group",
    "Layout",
    "Mesh",
    "MeshVertices",
    "Neighbourhood",
    "Patch",
    "Places",
    "Points",
    "Sample",
    "Sites",
    "UVTexels",
    "Weld",
    "Window",
    "bare_windows",
    "faces_name",
    "mesh_vertices",
    "shape_name",
    "tiles_of",
    "weld_positions",
    "windows",
]
