"""OBJ, with weights as `v x y z r g b` (a widespread extension; the values as written, no transform).

One vertex for each distinct v/vt/vn combination, numbered where it first appears among the faces.
When every corner repeats one number (v/v/v, or v alone), the file's own order is kept.
Material libraries are named by most OBJ files; they are never opened.
"""

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, I64, U8, U32
from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.errors import FormatError, Limits, too_many
from ashblend.core.formats.ply import fan_triangles
from ashblend.core.formats.text_numbers import LINE, begins_with, is_blank, read_number, skip_blanks
from ashblend.core.sites.mesh import ColourSet, Group, Mesh

DAMAGED = "The file is damaged; export it again."


V, VT, VN, FACE, START, LIBRARY, OTHER = range(7)
HASH, SLASH, LETTER_V, LETTER_T, LETTER_N, LETTER_F = 35, 47, 118, 116, 110, 102
LETTER_G, LETTER_O = 103, 111
USEMTL, MTLLIB = np.frombuffer(b"usemtl", np.uint8), np.frombuffer(b"mtllib", np.uint8)
WIDEST = 7


class Parsed(NamedTuple):
    """What the lines say. v: (n, 7), widths (n,) how many numbers each has. vt: (n, 2). vn: (n, 3).

    corners: (k, 3) numbers of v, vt, vn from 0, −1 for none. counts: corners of each face. starts: (s, 3)
    first and last byte of a group's name, and the face it begins at. wrong: line that cannot be read, or 0.
    """

    v: F64
    widths: I64
    vt: F64
    vn: F64
    corners: I64
    counts: I64
    starts: I64
    library: bool
    wrong: int


@numba.njit(cache=True, nogil=True)
def _is_word(data: U8, at: int, end: int, word: U8) -> bool:
    after = at + word.shape[0]
    return begins_with(data, at, end, word) and after < end and is_blank(data[after])


@numba.njit(cache=True, nogil=True)
def _kind_of(data: U8, at: int, end: int) -> tuple[int, int]:
    """What a line is, and where what follows its word begins."""
    if at >= end:
        return OTHER, at
    blank = at + 1 < end and is_blank(data[at + 1])
    if data[at] == LETTER_V:
        if blank:
            return V, at + 1
        if at + 2 < end and is_blank(data[at + 2]):
            if data[at + 1] == LETTER_T:
                return VT, at + 2
            if data[at + 1] == LETTER_N:
                return VN, at + 2
        return OTHER, at
    if data[at] == LETTER_F and blank:
        return FACE, at + 1
    if (data[at] == LETTER_G or data[at] == LETTER_O) and (blank or at + 1 == end):
        return START, at + 1
    if _is_word(data, at, end, USEMTL):
        return START, at + 6
    return (LIBRARY, at + 6) if _is_word(data, at, end, MTLLIB) else (OTHER, at)


@numba.njit(cache=True, nogil=True)
def _line_end(data: U8, at: int) -> tuple[int, int]:
    """End of what counts of a line, before a remark, and where the next begins."""
    end, stop = at, -1
    while end < data.shape[0] and data[end] != LINE:
        if data[end] == HASH and stop < 0:
            stop = end
        end += 1
    return end if stop < 0 else stop, end + 1


@numba.njit(cache=True, nogil=True)
def _sizes(data: U8) -> I64:
    """How many lines of each kind, and last, how many words stand on the lines of faces."""
    out = np.zeros(OTHER + 2, np.int64)
    at = 0
    while at < data.shape[0]:
        end, following = _line_end(data, at)
        kind, k = _kind_of(data, skip_blanks(data, at, end), end)
        out[kind] += 1
        if kind == FACE:
            within = False
            while k < end:
                blank = is_blank(data[k])
                out[OTHER + 1] += not blank and not within
                within = not blank
                k += 1
        at = following
    return out


@numba.njit(cache=True, nogil=True)
def _numbers_into(data: U8, at: int, end: int, row: F64, most: int) -> int:
    """Numbers of a line, as many as fit; how many, −1 where a word is none."""
    count = 0
    while True:
        at = skip_blanks(data, at, end)
        if at == end or count == most:
            return count
        row[count], after = read_number(data, at, end)
        if after == at or (after < end and not is_blank(data[after])):
            return -1
        count += 1
        at = after


@numba.njit(cache=True, nogil=True)
def _corner_into(data: U8, at: int, end: int, here: I64, row: I64) -> int:
    """One corner, v, v/vt, v//vn or v/vt/vn; where it ends, −1 where it is none. here: how many of each so far."""
    row[:] = -1
    part = 0
    while True:
        sign = 1
        if at < end and data[at] == 45:
            sign = -1
            at += 1
        number, first = 0, at
        while at < end and 48 <= data[at] <= 57 and at - first < 18:
            number = 10 * number + int(data[at]) - 48
            at += 1
        if at > first:
            row[part] = number - 1 if sign > 0 else here[part] - number
            if number == 0 or row[part] < 0:
                return -1
        elif sign < 0 or part == 0:
            return -1
        if at == end or is_blank(data[at]):
            return at
        if data[at] != SLASH or part == 2:
            return -1
        part += 1
        at += 1


@numba.njit(cache=True, nogil=True)
def _parse(data: U8, sizes: I64) -> Parsed:
    v, widths = np.zeros((sizes[V], WIDEST)), np.zeros(sizes[V], np.int64)
    vt, vn = np.zeros((sizes[VT], 2)), np.zeros((sizes[VN], 3))
    corners, counts = np.empty((sizes[OTHER + 1], 3), np.int64), np.zeros(sizes[FACE], np.int64)
    starts = np.zeros((sizes[START], 3), np.int64)
    here = np.zeros(3, np.int64)
    faces = n = named = line = wrong = at = 0
    while at < data.shape[0] and wrong == 0:
        line += 1
        end, following = _line_end(data, at)
        kind, k = _kind_of(data, skip_blanks(data, at, end), end)
        if kind == V:
            widths[here[0]] = _numbers_into(data, k, end, v[here[0]], WIDEST)
            wrong = line if widths[here[0]] < 3 else 0
            here[0] += 1
        elif kind == VT:
            wrong = line if _numbers_into(data, k, end, vt[here[1]], 2) < 1 else 0
            here[1] += 1
        elif kind == VN:
            wrong = line if _numbers_into(data, k, end, vn[here[2]], 3) < 3 else 0
            here[2] += 1
        elif kind == FACE:
            while True:
                k = skip_blanks(data, k, end)
                if k == end:
                    break
                k = _corner_into(data, k, end, here, corners[n])
                if k < 0:
                    wrong = line
                    break
                n += 1
                counts[faces] += 1
            faces += 1
        elif kind == START:
            first = skip_blanks(data, k, end)
            starts[named, 0], starts[named, 1], starts[named, 2] = first, end, faces
            named += 1
        at = following
    return Parsed(v, widths, vt, vn, corners[:n], counts, starts, sizes[LIBRARY] > 0, wrong)


def _distinct(corners: I64, vertices: int) -> tuple[I64, U32]:
    """Distinct corner combinations (k, 3) and for each corner the number of its combination."""
    aligned = all(((corners[:, i] == corners[:, 0]) | (corners[:, i] < 0)).all() for i in (1, 2))
    uniform = all((corners[:, i] >= 0).all() or (corners[:, i] < 0).all() for i in (1, 2))
    if aligned and uniform:
        own = np.arange(vertices, dtype=np.int64)
        columns = [own] + [own if (corners[:, i] >= 0).all() else np.full(vertices, -1) for i in (1, 2)]
        return np.stack(columns, axis=1), corners[:, 0].astype(np.uint32)
    unique, first, inverse = np.unique(corners, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first, kind="stable")
    rank = np.empty(order.size, np.int64)
    rank[order] = np.arange(order.size)
    return unique[order], rank[inverse.reshape(-1)].astype(np.uint32)


def _take(table: F64, indices: I64, what: str) -> F32 | None:
    if not table.size or (indices < 0).any():
        return None
    if indices.size and int(indices.max()) >= len(table):
        raise FormatError(f"A face refers to {what} {int(indices.max()) + 1} of {len(table)}.", DAMAGED)
    return table.astype(np.float32)[indices]


def _colours(parsed: Parsed, order: I64, notes: list[str]) -> tuple[ColourSet, ...]:
    """What stands behind positions: three numbers or four; a vertex without any holds 0."""
    coloured = parsed.widths >= 6
    if not coloured.any():
        return ()
    if not coloured.all():
        missing = int((~coloured).sum())
        notes.append(f"{missing:,} of {len(coloured):,} vertices have no colour; they hold 0.")
    width = int(parsed.widths[coloured].min()) - 3
    values = np.where(coloured[:, None], parsed.v[:, 3 : 3 + width], 0.0)
    return (ColourSet("rgba"[:width], values.astype(np.float32)[order], 32),)


def _groups(starts: list[tuple[str, int]], triangles_in: NDArray[np.int64]) -> tuple[Group, ...]:
    edges = np.concatenate([[0], np.cumsum(triangles_in)]).tolist()
    faces = len(triangles_in)
    named = [("mesh", 0), *starts]
    out = []
    for i, (name, face) in enumerate(named):
        end = named[i + 1][1] if i + 1 < len(named) else faces
        if end > face:
            out.append(Group(name, edges[face], edges[end] - edges[face]))
    return tuple(out)


def read_obj(data: bytes, limits: Limits) -> Mesh:
    """An OBJ file as a mesh. Raises FormatError."""
    try:
        if b"\r" in data:
            data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
        if b"\\\n" in data:
            data = data.replace(b"\\\n", b"  ")
        text = np.frombuffer(data, np.uint8)
        sizes = _sizes(text)
        if sizes[V] > limits.vertices or sizes[OTHER + 1] > 3 * limits.triangles:
            raise too_many(int(sizes[V]), int(sizes[FACE]), limits)
        parsed = _parse(text, sizes)
        if parsed.wrong:
            line = data.split(b"\n", parsed.wrong)[parsed.wrong - 1].decode("utf-8", errors="replace")
            raise FormatError(f"Line {parsed.wrong} cannot be read ({line.strip()[:60]!r}).", DAMAGED)
        if not parsed.corners.size:
            raise FormatError("The file holds no faces.", "Export a mesh with faces.")
        last = int(parsed.corners[:, 0].max())
        if last >= len(parsed.v):
            raise FormatError(f"A face refers to vertex {last + 1} of {len(parsed.v)}.", DAMAGED)
        notes = ["The file names a material library; it was not opened."] if parsed.library else []
        combos, numbers = _distinct(parsed.corners, len(parsed.v))
        uv = _take(parsed.vt, combos[:, 1], "texture coordinate")
        colours = _colours(parsed, combos[:, 0], notes)
        names = [
            (data[first:end].decode("utf-8", errors="replace").strip() or "mesh", int(face))
            for first, end, face in parsed.starts.tolist()
        ]
        return Mesh(
            positions=parsed.v[:, :3].astype(np.float32)[combos[:, 0]],
            triangles=fan_triangles(parsed.counts, numbers),
            normals=_take(parsed.vn, combos[:, 2], "normal"),
            uvs=() if uv is None else (np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1),),
            colours=colours,
            groups=_groups(names, np.maximum(parsed.counts - 2, 0)),
            notes=tuple(notes),
        )
    except FormatError:
        raise
    except (ValueError, IndexError, OverflowError, MemoryError) as error:
        raise FormatError("The OBJ file contradicts itself.", DAMAGED) from error


def write_obj(mesh: Mesh, weights: ExportAttribute | None) -> bytes:
    """Vertices in order; red, green and blue behind each position. A fourth channel has no place in OBJ."""
    columns = [mesh.positions]
    if weights is not None:
        rgb = np.zeros((mesh.vertex_count, 3), np.float32)
        width = min(3, weights.values.shape[1])
        rgb[:, :width] = weights.values[:, :width]
        columns.append(rgb)
    table = np.concatenate(columns, axis=1)
    lines = ["# Ash Blend"]
    lines += ["v " + " ".join(f"{v:.9g}" for v in row) for row in table]
    if mesh.uvs:
        lines += [f"vt {u:.9g} {1 - v:.9g}" for u, v in mesh.uvs[0]]
    if mesh.normals is not None:
        lines += ["vn " + " ".join(f"{v:.9g}" for v in row) for row in mesh.normals]
    corner = "{0}"
    if mesh.uvs and mesh.normals is not None:
        corner = "{0}/{0}/{0}"
    elif mesh.uvs:
        corner = "{0}/{0}"
    elif mesh.normals is not None:
        corner = "{0}//{0}"
    for group in mesh.groups:
        lines.append(f"g {group.name}")
        lines += [
            "f " + " ".join(corner.format(i + 1) for i in row)
            for row in mesh.triangles[group.first : group.first + group.count].tolist()
        ]
    return ("\n".join(lines) + "\n").encode()
