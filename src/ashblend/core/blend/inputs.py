"""What a place on a surface hands to the blend."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.protocol import Sites
from ashblend.core.sites.tangents import metres_per_uv, vertex_tangents


@dataclass(frozen=True)
class SurfaceInputs:
    """Site inputs of a mesh. arrays: by input name, (sites, width). metres_per_uv: of the first UV set."""

    arrays: Mapping[str, F32]
    triangles: U32
    metres_per_uv: float

    def at_sites(self, sites: NDArray[np.integer]) -> dict[str, F64]:
        """Inputs (k, width) at sites (k,)."""
        return {name: values[sites].astype(np.float64) for name, values in self.arrays.items()}

    def on_triangle(self, triangle: int, barycentric: tuple[float, float, float]) -> dict[str, F64]:
        """Inputs (1, width) at a place inside a triangle, unit vectors made unit again."""
        weights = np.array(barycentric, np.float64)
        corners = self.triangles[triangle]
        out = {
            name: (weights @ values[corners].astype(np.float64))[None] for name, values in self.arrays.items()
        }
        hand = 1.0 if out["tangent"][0, 3] >= 0 else -1.0
        for name in ("normal", "tangent"):
            length = float(np.linalg.norm(out[name][:, :3]))
            out[name][:, :3] /= length or 1.0
        out["tangent"][0, 3] = hand
        return out


def surface_inputs(mesh: Mesh, sites: Sites) -> SurfaceInputs:
    """The inputs of a mesh's vertices. Without UVs, uv is zero and the tangent points along x."""
    count = mesh.vertex_count
    if mesh.uvs:
        uv, tangent = mesh.uvs[0], vertex_tangents(mesh, sites.normals)
    else:
        uv = np.zeros((count, 2), np.float32)
        tangent = np.tile(np.array([1, 0, 0, 1], np.float32), (count, 1))
    arrays = {"position": sites.positions, "normal": sites.normals, "tangent": tangent, "uv": uv}
    return SurfaceInputs(arrays, mesh.triangles, metres_per_uv(mesh))
