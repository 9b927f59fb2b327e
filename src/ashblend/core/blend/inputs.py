"""What a place on a surface hands to the blend."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.tangents import drawn_vertices, metres_per_uv


@dataclass(frozen=True)
class SurfaceInputs:
    """Site inputs of a mesh, on its drawn vertices: the sites, then some of them once more.

    arrays: by input name, (drawn, width); positions are counted from the origin. triangles: (m, 3)
    over drawn vertices. site_of_extra: (k,) sites that the vertices behind the sites draw once more.
    origin: (3,) whole metres. metres_per_uv: of the first UV set.
    """

    arrays: Mapping[str, F32]
    triangles: I32
    site_of_extra: I32
    origin: F64
    metres_per_uv: float

    @property
    def facts(self) -> dict[str, float]:
        """What uniforms may be made from."""
        x, y, z = (float(v) for v in self.origin)
        return {"metres_per_uv": self.metres_per_uv, "origin_x": x, "origin_y": y, "origin_z": z}

    def at_sites(self, sites: NDArray[np.integer]) -> dict[str, F64]:
        """Inputs (k, width) at sites (k,)."""
        return {name: values[sites].astype(np.float64) for name, values in self.arrays.items()}

    def on_triangles(self, triangles: NDArray[np.integer], shares: F64) -> dict[str, F64]:
        """Inputs (k, width) at places inside triangles (k,), by barycentric shares (k, 3).

        Unit vectors are made unit again, as the shader does.
        """
        corners = self.triangles[triangles]
        out = {
            name: np.einsum("ij,ijk->ik", shares, values[corners].astype(np.float64))
            for name, values in self.arrays.items()
        }
        length = np.linalg.norm(out["normal"], axis=1, keepdims=True)
        out["normal"] /= np.where(length > 0, length, 1.0)
        return out


def origin_of(positions: F32) -> F64:
    """Whole metres near the middle of positions (n, 3): what a shader counts from."""
    low, high = positions.min(axis=0).astype(np.float64), positions.max(axis=0).astype(np.float64)
    return np.rint((low + high) / 2)


def uv_input(number: int) -> str:
    """The name of a UV set as an input: uv, uv1, uv2 …"""
    return f"uv{number or ''}"


def surface_inputs(mesh: Mesh, positions: F32, normals: F32) -> SurfaceInputs:
    """The inputs of a mesh's vertices with their normals (n, 3). Without UVs, the first is zero."""
    drawn = drawn_vertices(mesh, normals)
    origin = origin_of(positions)
    uvs = mesh.uvs or (np.zeros((mesh.vertex_count, 2), np.float32),)

    def twice(values: F32) -> F32:
        return np.concatenate([values, values[drawn.site_of_extra]]) if drawn.site_of_extra.size else values

    arrays = {
        "position": twice((positions.astype(np.float64) - origin).astype(np.float32)),
        "normal": twice(normals),
        "tangent": drawn.tangents,
    } | {uv_input(number): twice(uv) for number, uv in enumerate(uvs)}
    return SurfaceInputs(arrays, drawn.triangles, drawn.site_of_extra, origin, metres_per_uv(mesh))
