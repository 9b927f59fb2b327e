"""What every mesh must satisfy before it is let in, whatever file it came from."""

from dataclasses import replace

import numba
import numpy as np

from ashblend.core.arrays import F32, U32
from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.triangle import area_vector


@numba.njit(cache=True)
def _triangle_areas(positions: F32, triangles: U32) -> F32:
    areas = np.empty(triangles.shape[0], np.float32)
    for t in range(triangles.shape[0]):
        nx, ny, nz = area_vector(positions, triangles[t, 0], triangles[t, 1], triangles[t, 2])
        areas[t] = 0.5 * np.sqrt(nx * nx + ny * ny + nz * nz)
    return areas


def require_sound(mesh: Mesh, limits: Limits) -> Mesh:
    """Raise FormatError where the mesh cannot be painted; add notes about what can be lived with."""
    vertices, triangles = mesh.vertex_count, mesh.triangles.shape[0]
    if vertices == 0 or triangles == 0:
        raise FormatError(
            "The file holds no triangles.", "Export a mesh with faces, not points or lines alone."
        )
    if vertices > limits.vertices or triangles > limits.triangles:
        raise FormatError(
            f"The mesh has {vertices:,} vertices and {triangles:,} triangles; "
            f"at most {limits.vertices:,} and {limits.triangles:,} can be painted here.",
            "Split it into parts or reduce it.",
        )
    finite = np.isfinite(mesh.positions).all(axis=1)
    if not finite.all():
        raise FormatError(
            f"{int((~finite).sum()):,} of {vertices:,} vertices have positions that are not numbers.",
            "Clean up the mesh in the program that made it and export it again.",
        )
    if float(np.abs(mesh.positions).max()) > 1e7:
        raise FormatError(
            "The mesh reaches farther than 10 000 km from its origin.", "Check the units it was exported in."
        )
    if int(mesh.triangles.max()) >= vertices:
        raise FormatError(
            f"A triangle refers to vertex {int(mesh.triangles.max()):,}, but there are only {vertices:,}.",
            "The file is damaged; export it again.",
        )
    areas = _triangle_areas(mesh.positions, mesh.triangles)
    if not float(areas.sum(dtype=np.float64)) > 0:
        raise FormatError(
            "The mesh has no area: all its triangles are flat.", "Check the scale it was exported with."
        )
    notes = list(mesh.notes)
    flat = int((areas == 0).sum())
    if flat:
        notes.append(f"{flat:,} of {triangles:,} triangles have no area and cannot show paint.")
    return replace(mesh, notes=tuple(notes))
