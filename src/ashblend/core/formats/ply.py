"""PLY, ASCII and binary (Turk 1994, "The PLY Polygon File Format").

Vertex properties x y z, nx ny nz, s t (or u v, texture_u texture_v), red green blue alpha are
known; any other scalar becomes a custom attribute. Faces with more than three corners are cut
into fans.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, I64, U8, U32, Mask
from ashblend.core.channels.quantise import quantise
from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.errors import FormatError, Limits, too_many
from ashblend.core.formats.text_numbers import all_numbers
from ashblend.core.sites.mesh import ColourSet, Group, Mesh

TYPES = {
    "char": "i1", "uchar": "u1", "short": "i2", "ushort": "u2", "int": "i4", "uint": "u4",
    "float": "f4", "double": "f8", "int8": "i1", "uint8": "u1", "int16": "i2", "uint16": "u2",
    "int32": "i4", "uint32": "u4", "float32": "f4", "float64": "f8",
}  # fmt: skip
DAMAGED = "The file is damaged; export it again."
COLOURS = ("red", "green", "blue", "alpha")
UV_NAMES = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"))


@dataclass(frozen=True)
class _Property:
    name: str
    dtype: str
    count_dtype: str | None = None


@dataclass(frozen=True)
class _Element:
    name: str
    count: int
    properties: tuple[_Property, ...]


def _header(data: bytes) -> tuple[str, list[_Element], int]:
    end = re.search(rb"end_header[ \t]*\r?\n", data[:65536])
    if not data.startswith(b"ply") or end is None:
        raise FormatError("The file does not begin like a PLY.", "Check that it really is a PLY file.")
    kind = ""
    elements: list[tuple[str, int, list[_Property]]] = []
    for line in data[: end.start()].decode("latin-1").splitlines():
        words = line.split()
        if not words:
            continue
        if words[0] == "format":
            kind = words[1]
        elif words[0] == "element":
            elements.append((words[1], int(words[2]), []))
        elif words[0] == "property":
            if words[1] == "list":
                elements[-1][2].append(_Property(words[4], TYPES[words[3]], TYPES[words[2]]))
            else:
                elements[-1][2].append(_Property(words[2], TYPES[words[1]]))
    if kind not in ("ascii", "binary_little_endian", "binary_big_endian"):
        raise FormatError(f"The PLY format {kind!r} is not known.", "Export it as ASCII or binary PLY.")
    if any(count < 0 for _, count, _ in elements):
        raise FormatError("The PLY header has a negative count.", DAMAGED)
    return kind, [_Element(n, c, tuple(p)) for n, c, p in elements], end.end()


Columns = dict[str, NDArray[Any]]
Faces = tuple[NDArray[Any], NDArray[Any]]


LIST_NAMES = ("vertex_indices", "vertex_index")


def _wanted(element: _Element) -> int:
    """Which property of an element is the list of a face's corners, −1 for none."""
    names = [p.name if p.count_dtype is not None else "" for p in element.properties]
    return next((names.index(name) for name in LIST_NAMES if name in names), -1)


@numba.njit(cache=True, nogil=True)
def _count_at(data: U8, at: int, size: int, signed: bool, big: bool) -> int:
    value = 0
    for k in range(size):
        value = value * 256 + int(data[at + k if big else at + size - 1 - k])
    if signed and value >= 1 << (8 * size - 1):
        value -= 1 << (8 * size)
    return value


@numba.njit(cache=True, nogil=True)
def _walk_rows(
    data: U8, at: int, rows: int, sizes: I64, counters: I64, signed: Mask, wanted: int, big: bool
) -> tuple[I64, I64, int]:
    """Follow rows with lists in them: length and place of the wanted list of each, and where they end; −1: cut.

    sizes: bytes of each property's values. counters: bytes of its count, 0 where it is no list.
    """
    lengths, places = np.zeros(rows, np.int64), np.zeros(rows, np.int64)
    end = data.shape[0]
    for row in range(rows):
        for p in range(sizes.shape[0]):
            length = 1
            if counters[p] > 0:
                if at + counters[p] > end:
                    return lengths, places, -1
                length = _count_at(data, at, counters[p], signed[p], big)
                at += counters[p]
            if length < 0 or at + length * sizes[p] > end:
                return lengths, places, -1
            if p == wanted:
                lengths[row], places[row] = length, at
            at += length * sizes[p]
    return lengths, places, at


@numba.njit(cache=True, nogil=True)
def _gathered(data: U8, lengths: I64, places: I64, size: int) -> U8:
    out = np.empty(lengths.sum() * size, np.uint8)
    n = 0
    for row in range(lengths.shape[0]):
        for k in range(lengths[row] * size):
            out[n] = data[places[row] + k]
            n += 1
    return out


@numba.njit(cache=True, nogil=True)
def _walk_numbers(numbers: F64, at: int, rows: int, lists: Mask, wanted: int) -> tuple[I64, F64, int]:
    """The same over numbers: lengths and values of the wanted list, and where the rows end; −1: cut."""
    lengths, out = np.zeros(rows, np.int64), np.empty(numbers.shape[0] - at)
    n = 0
    for row in range(rows):
        for p in range(lists.shape[0]):
            length = 1
            if lists[p]:
                if at >= numbers.shape[0] or not 0 <= numbers[at] <= numbers.shape[0]:
                    return lengths, out, -1
                length = int(numbers[at])
                at += 1
            if at + length > numbers.shape[0]:
                return lengths, out, -1
            if p == wanted:
                lengths[row] = length
                for k in range(length):
                    out[n] = numbers[at + k]
                    n += 1
            at += length
    return lengths, out[:n].copy(), at


class _Binary:
    def __init__(self, data: bytes, at: int, order: str) -> None:
        self._data, self._at, self._order = data, at, order

    def _need(self, size: int) -> None:
        if self._at + size > len(self._data):
            raise FormatError("The file is cut off.", DAMAGED)

    def scalars(self, element: _Element) -> Columns:
        dtype = np.dtype([(p.name, self._order + p.dtype) for p in element.properties])
        self._need(dtype.itemsize * element.count)
        rows = np.frombuffer(self._data, dtype, element.count, self._at)
        self._at += dtype.itemsize * element.count
        return {p.name: rows[p.name] for p in element.properties}

    def faces(self, element: _Element) -> Faces:
        """Corner counts (faces,) and all corners one after another, of the list of vertex indices."""
        properties, wanted = element.properties, _wanted(element)
        sizes = np.array([np.dtype(p.dtype).itemsize for p in properties])
        counters = np.array([np.dtype(p.count_dtype).itemsize if p.count_dtype else 0 for p in properties])
        signed = np.array([bool(p.count_dtype) and str(p.count_dtype).startswith("i") for p in properties])
        # A row takes at least its counts and scalars.
        self._need(element.count * int(np.where(counters > 0, counters, sizes).sum()))
        data = np.frombuffer(self._data, np.uint8)
        lengths, places, end = _walk_rows(
            data, self._at, element.count, sizes, counters, signed, wanted, self._order == ">"
        )
        if end < 0:
            raise FormatError("The file is cut off.", DAMAGED)
        self._at = end
        if wanted < 0:
            return lengths, np.empty(0, np.int64)
        corners = _gathered(data, lengths, places, int(sizes[wanted]))
        return lengths, corners.view(self._order + properties[wanted].dtype)


class _Ascii:
    def __init__(self, data: bytes, at: int) -> None:
        self._numbers, wrong = all_numbers(np.frombuffer(data, np.uint8), at)
        if wrong >= 0:
            line = data.count(b"\n", 0, wrong) + 1
            word = data[wrong : wrong + 40].split()[0].decode("latin-1")
            raise FormatError(f"Line {line} of the file has {word!r} where a number is meant.", DAMAGED)
        self._at = 0

    def scalars(self, element: _Element) -> Columns:
        width = len(element.properties)
        end = self._at + width * element.count
        if end > self._numbers.shape[0]:
            raise FormatError("The file is cut off.", DAMAGED)
        table = self._numbers[self._at : end].reshape(element.count, width)
        self._at = end
        with np.errstate(invalid="ignore", over="ignore"):
            return {p.name: table[:, i].astype(p.dtype) for i, p in enumerate(element.properties)}

    def faces(self, element: _Element) -> Faces:
        if element.count > self._numbers.shape[0] - self._at:
            raise FormatError("The file is cut off.", DAMAGED)
        lists = np.array([p.count_dtype is not None for p in element.properties])
        lengths, corners, end = _walk_numbers(self._numbers, self._at, element.count, lists, _wanted(element))
        if end < 0:
            raise FormatError("The file is cut off.", DAMAGED)
        self._at = end
        if corners.size and not np.isfinite(corners).all():
            raise FormatError("A face refers to a vertex that cannot exist.", DAMAGED)
        return lengths, corners.astype(np.int64)


def fan_triangles(counts: NDArray[Any], corners: NDArray[Any]) -> U32:
    """Polygons as corner counts (f,) and corners one after another, to triangles (m, 3)."""
    if corners.size and (int(corners.min()) < 0 or int(corners.max()) > 2**32 - 1):
        raise FormatError("A face refers to a vertex that cannot exist.", DAMAGED)
    corners = corners.astype(np.uint32)
    if counts.size and (counts == 3).all():
        return corners.reshape(-1, 3)
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.int64)
    triangles_in = np.maximum(counts - 2, 0)
    face = np.repeat(np.arange(counts.size), triangles_in)
    within = np.arange(face.size) - np.repeat(np.cumsum(triangles_in) - triangles_in, triangles_in)
    first = starts[face]
    return np.stack([corners[first], corners[first + within + 1], corners[first + within + 2]], axis=1)


def _weights(columns: list[NDArray[Any]], notes: list[str]) -> F32:
    """Colours as weights (n, k) in 0..1: by what their type holds, or by what numbers too large for it mean."""
    stored = np.stack([column.astype(np.float64) for column in columns], axis=1)
    dtype = columns[0].dtype
    full = float(np.iinfo(dtype).max) if dtype.kind == "u" and dtype.itemsize < 4 else 1.0
    most = float(np.nanmax(stored, initial=0.0))
    if full == 1.0 and most > 1.0:
        full = next((steps for steps in (255.0, 65535.0) if most <= steps), most)
        notes.append(f"The file's colours go up to {most:g}; they were read as 0 to {full:g}.")
    return (stored / full).astype(np.float32)


def _mesh(columns: Columns, triangles: U32) -> Mesh:
    def stack(*names: str) -> F32 | None:
        if not all(n in columns for n in names):
            return None
        return np.stack([columns[n].astype(np.float32) for n in names], axis=1)

    positions = stack("x", "y", "z")
    if positions is None:
        raise FormatError("The vertices have no x, y and z.", "Export them with positions.")
    used = {"x", "y", "z", "nx", "ny", "nz", *COLOURS}
    uvs: tuple[F32, ...] = ()
    for pair in UV_NAMES:
        uv = stack(*pair)
        if uv is not None:
            # PLY's v runs up, glTF's down.
            uvs, used = (np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1),), used | set(pair)
            break
    present = [c for c in COLOURS if c in columns]
    colours: tuple[ColourSet, ...] = ()
    notes: list[str] = []
    if present[:3] == list(COLOURS[:3]):
        values = _weights([columns[c] for c in present], notes)
        colours = (ColourSet("rgba"[: len(present)], values, columns["red"].itemsize * 8),)
    return Mesh(
        positions=positions,
        triangles=triangles,
        normals=stack("nx", "ny", "nz"),
        uvs=uvs,
        colours=colours,
        attributes={n: c.astype(np.float32)[:, None] for n, c in columns.items() if n not in used},
        groups=(Group("mesh", 0, len(triangles)),),
        notes=tuple(notes),
    )


def read_ply(data: bytes, limits: Limits) -> Mesh:
    """A PLY file as a mesh. Raises FormatError."""
    try:
        kind, elements, at = _header(data)
        counts_of = {element.name: element.count for element in elements}
        if counts_of.get("vertex", 0) > limits.vertices or counts_of.get("face", 0) > limits.triangles:
            raise too_many(counts_of.get("vertex", 0), counts_of.get("face", 0), limits)
        reader: _Binary | _Ascii = (
            _Ascii(data, at) if kind == "ascii" else _Binary(data, at, "<" if "little" in kind else ">")
        )
        columns: Columns = {}
        triangles = np.empty((0, 3), np.uint32)
        for element in elements:
            lists = any(p.count_dtype is not None for p in element.properties)
            if element.name == "vertex" and not lists:
                columns = reader.scalars(element)
            elif lists:
                counts, corners = reader.faces(element)
                if element.name == "face":
                    triangles = fan_triangles(counts, corners)
            else:
                reader.scalars(element)
        return _mesh(columns, triangles)
    except FormatError:
        raise
    except (KeyError, IndexError, ValueError, TypeError, OverflowError, MemoryError) as error:
        raise FormatError("The PLY file contradicts itself.", DAMAGED) from error


def write_ply(mesh: Mesh, weights: ExportAttribute | None, *, binary: bool = True) -> bytes:
    """Vertices in order with normals, first UV set, custom attributes and weights as red green blue alpha.

    weights: up to four channels; missing ones of red, green and blue are written as zero.
    """
    columns: list[tuple[str, str, NDArray[Any]]] = [
        (n, "float", mesh.positions[:, i].astype("<f4")) for i, n in enumerate("xyz")
    ]
    if mesh.normals is not None:
        columns += [(f"n{n}", "float", mesh.normals[:, i].astype("<f4")) for i, n in enumerate("xyz")]
    if mesh.uvs:
        uv = mesh.uvs[0]
        columns += [("s", "float", uv[:, 0].astype("<f4")), ("t", "float", (1 - uv[:, 1]).astype("<f4"))]
    for name, values in mesh.attributes.items():
        if values.shape[1] == 1 and re.fullmatch(r"\w+", name):
            columns.append((name, "float", values[:, 0].astype("<f4")))
    if weights is not None:
        columns += _colour_columns(weights)
    return _assemble(columns, mesh.triangles, binary=binary)


def _colour_columns(weights: ExportAttribute) -> Sequence[tuple[str, str, NDArray[Any]]]:
    width = max(3, weights.values.shape[1])
    values = np.zeros((weights.values.shape[0], width), np.float32)
    values[:, : weights.values.shape[1]] = weights.values
    if weights.bits == 32:
        return [(COLOURS[i], "float", values[:, i].astype("<f4")) for i in range(width)]
    kind = "uchar" if weights.bits == 8 else "ushort"
    steps = quantise(values, weights.bits)
    return [(COLOURS[i], kind, steps[:, i]) for i in range(width)]


def _assemble(columns: Sequence[tuple[str, str, NDArray[Any]]], triangles: U32, *, binary: bool) -> bytes:
    header = ["ply", f"format {'binary_little_endian' if binary else 'ascii'} 1.0", "comment Ash Blend"]
    header += [f"element vertex {columns[0][2].shape[0]}"]
    header += [f"property {kind} {name}" for name, kind, _ in columns]
    header += [f"element face {len(triangles)}", "property list uchar uint vertex_indices", "end_header", ""]
    head = "\n".join(header).encode()
    if binary:
        rows = np.empty(columns[0][2].shape[0], np.dtype([(n, "<" + TYPES[kind]) for n, kind, _ in columns]))
        for name, _, values in columns:
            rows[name] = values
        faces = np.empty(len(triangles), np.dtype([("n", "u1"), ("v", "<u4", 3)]))
        faces["n"], faces["v"] = 3, triangles
        return head + rows.tobytes() + faces.tobytes()
    # Nine digits bring a float32 back exactly.
    text = [[f"{v:.9g}" if v.dtype.kind == "f" else str(v) for v in values] for _, _, values in columns]
    lines = [" ".join(row) for row in zip(*text, strict=True)]
    lines += [f"3 {a} {b} {c}" for a, b, c in triangles.tolist()]
    return head + ("\n".join(lines) + "\n").encode()
