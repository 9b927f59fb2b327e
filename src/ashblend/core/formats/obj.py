"""OBJ, with weights as `v x y z r g b` (a widespread extension; the values as written, no transform).

One vertex for each distinct v/vt/vn combination, numbered where it first appears among the faces.
When every corner repeats one number (v/v/v, or v alone), the file's own order is kept.
Material libraries are named by most OBJ files; they are never opened.
"""

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, I64, U32
from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.ply import fan_triangles
from ashblend.core.sites.mesh import ColourSet, Group, Mesh

DAMAGED = "The file is damaged; export it again."


class _Lines:
    """What the lines of the file say, still as Python lists."""

    def __init__(self, text: str) -> None:
        self.v: list[list[float]] = []
        self.vt: list[list[float]] = []
        self.vn: list[list[float]] = []
        self.corners: list[tuple[int, int, int]] = []
        self.counts: list[int] = []
        self.starts: list[tuple[str, int]] = []
        self.library = False
        for number, line in enumerate(text.replace("\\\n", " ").split("\n"), 1):
            words = line.split()
            if not words or words[0].startswith("#"):
                continue
            try:
                self._line(words)
            except (ValueError, IndexError) as error:
                raise FormatError(
                    f"Line {number} cannot be read ({line.strip()[:60]!r}).", DAMAGED
                ) from error

    def _line(self, words: list[str]) -> None:
        kind, rest = words[0], words[1:]
        if kind == "v":
            if len(rest) < 3:
                raise ValueError("a position needs three numbers")
            self.v.append([float(w) for w in rest])
        elif kind == "vt":
            self.vt.append([float(rest[0]), float(rest[1]) if len(rest) > 1 else 0.0])
        elif kind == "vn":
            self.vn.append([float(rest[0]), float(rest[1]), float(rest[2])])
        elif kind == "f":
            self.counts.append(len(rest))
            self.corners += [self._corner(w) for w in rest]
        elif kind in ("g", "o", "usemtl"):
            self.starts.append((" ".join(rest) or "mesh", len(self.counts)))
        elif kind == "mtllib":
            self.library = True

    def _corner(self, word: str) -> tuple[int, int, int]:
        parts = [*word.split("/"), "", ""][:3]
        limits = (len(self.v), len(self.vt), len(self.vn))
        out = []
        for text, limit in zip(parts, limits, strict=True):
            if not text:
                out.append(-1)
                continue
            number = int(text)
            index = number - 1 if number > 0 else limit + number
            if number == 0 or index < 0:
                raise ValueError("index out of range")
            out.append(index)
        return out[0], out[1], out[2]


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


def _take(rows: list[list[float]], indices: I64, what: str) -> F32 | None:
    if not rows or (indices < 0).any():
        return None
    table = np.array(rows, np.float32)
    if indices.size and int(indices.max()) >= len(table):
        raise FormatError(f"A face refers to {what} {int(indices.max()) + 1} of {len(table)}.", DAMAGED)
    return table[indices]


def _groups(starts: list[tuple[str, int]], triangles_in: NDArray[np.int64]) -> tuple[Group, ...]:
    edges = np.concatenate([[0], np.cumsum(triangles_in)])
    faces = len(triangles_in)
    named = [("mesh", 0), *starts]
    out = []
    for i, (name, face) in enumerate(named):
        end = named[i + 1][1] if i + 1 < len(named) else faces
        if end > face:
            out.append(Group(name, int(edges[face]), int(edges[end] - edges[face])))
    return tuple(out)


def read_obj(data: bytes) -> Mesh:
    """An OBJ file as a mesh. Raises FormatError."""
    try:
        text = data.decode("utf-8", errors="replace")
        lines = _Lines(text.replace("\r\n", "\n").replace("\r", "\n"))
        if not lines.corners:
            raise FormatError("The file holds no faces.", "Export a mesh with faces.")
        corners = np.array(lines.corners, np.int64)
        if int(corners[:, 0].max()) >= len(lines.v):
            raise FormatError(
                f"A face refers to vertex {int(corners[:, 0].max()) + 1} of {len(lines.v)}.", DAMAGED
            )
        combos, numbers = _distinct(corners, len(lines.v))
        counts = np.array(lines.counts, np.int64)
        widths = {len(row) for row in lines.v}
        positions = np.array([row[:3] for row in lines.v], np.float32)[combos[:, 0]]
        colours: tuple[ColourSet, ...] = ()
        if widths <= {6, 7}:
            width = min(widths) - 3
            rgb = np.array([row[3 : 3 + width] for row in lines.v], np.float32)[combos[:, 0]]
            colours = (ColourSet("rgba"[:width], rgb, 32),)
        uv = _take(lines.vt, combos[:, 1], "texture coordinate")
        notes = ("The file names a material library; it was not opened.",) if lines.library else ()
        return Mesh(
            positions=positions,
            triangles=fan_triangles(counts, numbers),
            normals=_take(lines.vn, combos[:, 2], "normal"),
            uvs=() if uv is None else (np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1),),
            colours=colours,
            groups=_groups(lines.starts, np.maximum(counts - 2, 0)),
            notes=notes,
        )
    except FormatError:
        raise
    except (ValueError, IndexError, OverflowError, MemoryError) as error:
        raise FormatError(f"The OBJ file contradicts itself ({error}).", DAMAGED) from error


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
