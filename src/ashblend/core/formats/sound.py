"""What every mesh must satisfy before it is let in, whatever file it came from."""

from dataclasses import replace

import numba
import numpy as np

from ashblend.core.arrays import F32, U32, Mask
from ashblend.core.formats.errors import FormatError, Limits, too_many
from ashblend.core.sites.mesh import Group, Mesh
from ashblend.core.sites.triangle import area_vector


@numba.njit(cache=True)
def _triangle_areas(positions: F32, triangles: U32) -> F32:
    areas = np.empty(triangles.shape[0], np.float32)
    for t in range(triangles.shape[0]):
        nx, ny, nz = area_vector(positions, triangles[t, 0], triangles[t, 1], triangles[t, 2])
        areas[t] = 0.5 * np.sqrt(nx * nx + ny * ny + nz * nz)
    return areas


# Farther from the first tile a float32 cannot tell a thousandth of it any more.
FARTHEST_UV = 8192.0


def _known(values: F32, most: float) -> Mask:
    """(n,) rows whose numbers are all finite and no larger than most."""
    # What is not a number compares as false.
    return np.asarray((np.abs(values) <= most).all(axis=1))


def _mended(what: str, values: F32, most: float, notes: list[str]) -> F32:
    """The same with zeros in the place of rows that say nothing; they are noted."""
    known = _known(values, most)
    if known.all():
        return values
    bad = int((~known).sum())
    notes.append(f"{bad:,} vertices have {what} that are not numbers, or far too large; they are taken as 0.")
    return np.where(known[:, None], values, np.float32(0))


def _with_sound_streams(mesh: Mesh, notes: list[str]) -> Mesh:
    """Normals and tangents with rows that say nothing are left out, to be worked out anew; others are mended."""
    normals, tangents = mesh.normals, mesh.tangents
    if normals is not None and not _known(normals, 1e6).all():
        normals = tangents = None
        notes.append("The file's normals are not all numbers; they were left out and worked out anew.")
    if tangents is not None and not _known(tangents, 1e6).all():
        tangents = None
        notes.append("The file's tangents are not all numbers; they were left out and worked out anew.")
    return replace(
        mesh,
        normals=normals,
        tangents=tangents,
        uvs=tuple(_mended("UVs", uv, FARTHEST_UV, notes) for uv in mesh.uvs),
        colours=tuple(
            replace(entry, values=_mended(entry.name, entry.values, 1e30, notes)) for entry in mesh.colours
        ),
        attributes={
            name: _mended(name, values, float(np.finfo(np.float32).max), notes)
            for name, values in mesh.attributes.items()
        },
    )


# More could be neither looked through nor chosen from.
MOST_GROUPS = 4096
REST = "the others"


def _with_few_groups(mesh: Mesh, notes: list[str]) -> Mesh:
    """The same with the groups beyond MOST_GROUPS as one; it is noted."""
    groups = mesh.groups
    if len(groups) <= MOST_GROUPS:
        return mesh
    notes.append(f"Of {len(groups):,} groups the first {MOST_GROUPS - 1:,} are kept; the rest is one group.")
    first = groups[MOST_GROUPS - 1].first
    rest = Group(REST, first, mesh.triangles.shape[0] - first)
    return replace(mesh, groups=(*groups[: MOST_GROUPS - 1], rest))


def plain(text: str) -> str:
    """A name without what no database and no file keeps: zero characters and halves of characters."""
    return text.replace("\0", "").encode("utf-8", "replace").decode() or "?"


def _with_plain_names(mesh: Mesh, notes: list[str]) -> Mesh:
    notes[:] = [plain(note) for note in notes]
    return replace(
        mesh,
        groups=tuple(replace(group, name=plain(group.name)) for group in mesh.groups),
        colours=tuple(replace(entry, name=plain(entry.name)) for entry in mesh.colours),
        attributes={plain(name): values for name, values in mesh.attributes.items()},
    )


def require_sound(mesh: Mesh, limits: Limits) -> Mesh:
    """Raise FormatError where the mesh cannot be painted; add notes about what can be lived with.

    After it every stream is finite, so that nothing that runs over positions, UVs or weights meets an end that
    is not a number.
    """
    vertices, triangles = mesh.vertex_count, mesh.triangles.shape[0]
    if vertices == 0 or triangles == 0:
        raise FormatError(
            "The file holds no triangles.", "Export a mesh with faces, not points or lines alone."
        )
    if vertices > limits.vertices or triangles > limits.triangles:
        raise too_many(vertices, triangles, limits)
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
    mesh = _with_few_groups(_with_sound_streams(mesh, notes), notes)
    mesh = _with_plain_names(mesh, notes)
    flat = int((areas == 0).sum())
    if flat:
        notes.append(f"{flat:,} of {triangles:,} triangles have no area and cannot show paint.")
    return replace(mesh, notes=tuple(notes))
