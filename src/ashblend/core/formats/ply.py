"""PLY, ASCII and binary (Turk 1994, "The PLY Polygon File Format").

Vertex properties x y z, nx ny nz, s t (or u v, texture_u texture_v), red green blue alpha are
known; any other scalar becomes a custom attribute. Faces with more than three corners are cut
into fans.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, U32
from ashblend.core.channels.quantise import quantise
from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.errors import FormatError
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
        triangles = self._all_triangles(element)
        if triangles is not None:
            return np.full(element.count, 3), triangles
        counts = np.empty(element.count, np.int64)
        corners: list[NDArray[Any]] = []
        for f in range(element.count):
            for p in element.properties:
                values = self._one(p)
                if p.count_dtype is not None and p.name in ("vertex_indices", "vertex_index"):
                    counts[f] = values.size
                    corners.append(values)
        return counts, np.concatenate(corners) if corners else np.empty(0, np.int64)

    def _one(self, p: _Property) -> NDArray[Any]:
        count = 1
        if p.count_dtype is not None:
            counter = np.dtype(self._order + p.count_dtype)
            self._need(counter.itemsize)
            count = int(np.frombuffer(self._data, counter, 1, self._at)[0])
            self._at += counter.itemsize
        dtype = np.dtype(self._order + p.dtype)
        if count < 0:
            raise FormatError("A face has a negative number of corners.", DAMAGED)
        self._need(dtype.itemsize * count)
        values = np.frombuffer(self._data, dtype, count, self._at)
        self._at += dtype.itemsize * count
        return values

    def _all_triangles(self, element: _Element) -> NDArray[Any] | None:
        fields: list[Any] = []
        name = ""
        for p in element.properties:
            if p.count_dtype is None:
                fields.append((p.name, self._order + p.dtype))
            elif p.name in ("vertex_indices", "vertex_index"):
                name = p.name
                fields += [("#", self._order + p.count_dtype), (p.name, self._order + p.dtype, 3)]
            else:
                return None
        dtype = np.dtype(fields)
        if not name or self._at + dtype.itemsize * element.count > len(self._data):
            return None
        rows = np.frombuffer(self._data, dtype, element.count, self._at)
        if not (rows["#"] == 3).all():
            return None
        self._at += dtype.itemsize * element.count
        return rows[name].reshape(-1)


class _Ascii:
    def __init__(self, data: bytes, at: int) -> None:
        self._words = data[at:].split()
        self._at = 0

    def _take(self, count: int) -> list[bytes]:
        if count < 0 or self._at + count > len(self._words):
            raise FormatError("The file is cut off.", DAMAGED)
        words = self._words[self._at : self._at + count]
        self._at += count
        return words

    def scalars(self, element: _Element) -> Columns:
        width = len(element.properties)
        table = np.array(self._take(width * element.count), np.float64).reshape(element.count, width)
        return {p.name: table[:, i].astype(p.dtype) for i, p in enumerate(element.properties)}

    def faces(self, element: _Element) -> Faces:
        counts = np.empty(element.count, np.int64)
        corners: list[bytes] = []
        for f in range(element.count):
            for p in element.properties:
                length = int(self._take(1)[0]) if p.count_dtype is not None else 1
                words = self._take(length)
                if p.count_dtype is not None and p.name in ("vertex_indices", "vertex_index"):
                    counts[f] = length
                    corners += words
        return counts, np.array(corners, np.float64).astype(np.int64)


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


def _weights(column: NDArray[Any]) -> F32:
    if column.dtype.kind == "u":
        return (column / np.float64(np.iinfo(column.dtype).max)).astype(np.float32)
    return column.astype(np.float32)


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
    if present[:3] == list(COLOURS[:3]):
        values = np.stack([_weights(columns[c]) for c in present], axis=1)
        colours = (ColourSet("rgba"[: len(present)], values, columns["red"].itemsize * 8),)
    return Mesh(
        positions=positions,
        triangles=triangles,
        normals=stack("nx", "ny", "nz"),
        uvs=uvs,
        colours=colours,
        attributes={n: c.astype(np.float32)[:, None] for n, c in columns.items() if n not in used},
        groups=(Group("mesh", 0, len(triangles)),),
    )


def read_ply(data: bytes) -> Mesh:
    """A PLY file as a mesh. Raises FormatError."""
    try:
        kind, elements, at = _header(data)
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
        raise FormatError(f"The PLY file contradicts itself ({error}).", DAMAGED) from error


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
