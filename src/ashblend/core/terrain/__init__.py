"""Terrain: heights on a grid, where places on it lie, and the sites of its channel sets.

Registration: heights are point samples at grid corners, so that 1025² at 1 m spans 1024 m; splat texels are cells, and
the centre of a cell is where it samples the heights.
"""

from ashblend.core.terrain.field import HeightField
from ashblend.core.terrain.frame import TerrainMesh, terrain_mesh
from ashblend.core.terrain.sites import CELLS, CORNERS, TerrainSites
from ashblend.core.terrain.terrain import Terrain, terrain_of

__all__ = [
    "CELLS",
    "CORNERS",
    "HeightField",
    "Terrain",
    "TerrainMesh",
    "TerrainSites",
    "terrain_mesh",
    "terrain_of",
]
