"""What a place on a surface hands to the blend."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, I32
from ashblend.core.materials.spot import of_uv
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.tangents import drawn_vertices, metres_per_uv, tangents_over


@dataclass(frozen=True)
class SurfaceInputs:
    """Site inputs of a mesh, on its drawn vertices: the sites, then some of them once more.

    arrays: by input name, (drawn, width); positions are counted from the origin. triangles: (m, 3)
    over drawn vertices. site_of_extra: (k,) sites that the vertices behind the sites draw once more.
    origin: (3,) whole metres. metres_per_uv: of each UV set.
    """

    arrays: Mapping[str, F32]
    triangles: I32
    site_of_extra: I32
    origin: F64
    metres_per_uv: tuple[float, ...]

    @property
    def facts(self) -> dict[str, float]:
        """What uniforms may be made from."""
        x, y, z = (float(v) for v in self.origin)
        lengths = {of_uv("metres_per_uv", n): length for n, length in enumerate(self.metres_per_uv)}
        # Time goes on in the picture alone.
        return {**lengths, "origin_x": x, "origin_y": y, "origin_z": z, "time": 0.0}

    @property
    def head(self) -> dict[str, Any]:
        """What windows are told of the surface besides its arrays."""
        return {}

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
    }
    for number, over in enumerate(uvs):
        arrays[of_uv("uv", number)] = twice(over)
        if number:
            arrays[of_uv("tangent", number)] = twice(tangents_over(mesh, normals, over))
    lengths = tuple(metres_per_uv(mesh, number) for number in range(len(uvs)))
    return SurfaceInputs(arrays, drawn.triangles, drawn.site_of_extra, origin, lengths)
