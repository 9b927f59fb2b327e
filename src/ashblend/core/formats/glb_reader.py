"""The parts of a GLB (glTF 2.0, ISO/IEC 12113, chapter 4): chunks, accessors, pools, nodes.

A file's vertices are taken *pool* by pool: a pool is one POSITION accessor of one mesh, shared
by the primitives that use it. The writer walks the same pools, so channel values go back to the
very vertices they came from.

Tried: pygltflib keeps everything but costs twice the time at a million vertices and gives no
pools; trimesh drops second colour and UV sets and splits primitives.
"""

import base64
import binascii
import json
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError, Limits, too_many

MAGIC = 0x46546C67
JSON_CHUNK = 0x4E4F534A
BIN_CHUNK = 0x004E4942

COMPONENTS: dict[int, Any] = {
    5120: np.dtype("<i1"),
    5121: np.dtype("<u1"),
    5122: np.dtype("<i2"),
    5123: np.dtype("<u2"),
    5125: np.dtype("<u4"),
    5126: np.dtype("<f4"),
}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
TRIANGLES, STRIP, FAN = 4, 5, 6
# Names an attribute may have in all, so that a small file cannot name the same bytes a million times.
MOST_ATTRIBUTES = 64
DAMAGED = "The file is damaged; export it again."


@dataclass(frozen=True)
class Pool:
    """One run of vertices. first, count: its sites. primitives: (mesh, primitive) numbers that use it."""

    mesh: int
    accessor: int
    first: int
    count: int
    primitives: tuple[tuple[int, int], ...]


@dataclass(frozen=True)
class Container:
    """document: the parsed JSON, text: as it stands in the file. binary: the BIN chunk (empty when there is none).

    others: chunks of kinds that glTF does not know, which it allows behind those two (section 4.4.1).
    """

    document: dict[str, Any]
    text: bytes
    binary: bytes
    others: tuple[tuple[int, bytes], ...]

    def copied(self) -> dict[str, Any]:
        """The document once more, to be changed."""
        copy: dict[str, Any] = json.loads(self.text)
        return copy


def _refuse_constant(name: str) -> float:
    raise FormatError(f"The file's JSON has {name} for a number, which JSON does not know.", DAMAGED)


def open_json(text: bytes) -> dict[str, Any]:
    """The JSON of a glTF. Raises FormatError."""
    try:
        document = json.loads(text, parse_constant=_refuse_constant)
        # What cannot be written again could be painted, but never exported.
        json.dumps(document)
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise FormatError("The file's JSON cannot be read.", DAMAGED) from error
    if not isinstance(document, dict):
        raise FormatError("The file's JSON is not an object.", DAMAGED)
    return document


def open_container(data: bytes) -> Container:
    """Split a GLB into its JSON and BIN chunks, checking every length."""
    if len(data) < 20:
        raise FormatError("The file is too short to be a GLB.", DAMAGED)
    magic, version, length = struct.unpack_from("<III", data, 0)
    if magic != MAGIC:
        raise FormatError(
            "The file does not begin like a GLB.", "Check that it really is binary glTF (.glb)."
        )
    if version != 2:
        raise FormatError(f"The file is glTF version {version}.", "Export it as glTF 2.0.")
    if length > len(data):
        raise FormatError(f"The file is cut off: {len(data):,} of {length:,} bytes are there.", DAMAGED)
    chunks: dict[int, bytes] = {}
    others: list[tuple[int, bytes]] = []
    at = 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<II", data, at)
        if at + 8 + size > length:
            raise FormatError("A chunk of the file reaches past its end.", DAMAGED)
        if kind in (JSON_CHUNK, BIN_CHUNK):
            chunks.setdefault(kind, data[at + 8 : at + 8 + size])
        else:
            others.append((kind, data[at + 8 : at + 8 + size]))
        at += 8 + size
    if JSON_CHUNK not in chunks:
        raise FormatError("The file has no JSON chunk.", DAMAGED)
    document = open_json(chunks[JSON_CHUNK])
    return Container(document, chunks[JSON_CHUNK], chunks.get(BIN_CHUNK, b""), tuple(others))


def _refuse_outside(document: dict[str, Any]) -> None:
    """Pictures may lie elsewhere: they are never looked for, and the file keeps saying where."""
    for entry in document.get("buffers", []):
        uri = entry.get("uri")
        if uri is not None and not str(uri).startswith("data:"):
            raise FormatError(
                f"The geometry is in another file ({str(uri)[:80]!r}).",
                "Drop the .gltf together with its parts, or all of them in one .zip.",
            )


class GlbReader:
    """Accessors, pools and nodes of one container."""

    def __init__(self, container: Container) -> None:
        self.document = container.document
        _refuse_outside(self.document)
        self._buffers = [
            self._buffer(number, entry, container.binary)
            for number, entry in enumerate(self.document.get("buffers", []))
        ]
        self._bytes = sum(map(len, self._buffers))

    @staticmethod
    def _buffer(number: int, entry: dict[str, Any], binary: bytes) -> bytes:
        uri = entry.get("uri")
        if uri is None:
            data = binary if number == 0 else b""
            if number and "extensions" in entry:
                # A stand-in for readers without the decoder: nothing is read from it here.
                return data
        else:
            try:
                data = base64.b64decode(str(uri).partition(",")[2], validate=True)
            except (binascii.Error, ValueError) as error:
                raise FormatError("An embedded buffer cannot be decoded.", DAMAGED) from error
        if len(data) < int(entry["byteLength"]):
            raise FormatError(f"Buffer {number} is shorter than it says.", DAMAGED)
        return data

    def buffer_bytes(self, number: int, begin: int, length: int) -> bytes:
        """A run of bytes of a buffer. Raises FormatError when it is not there."""
        buffer = self._buffers[number]
        if begin < 0 or length < 0 or begin + length > len(buffer):
            raise FormatError(f"Buffer {number} is too short for what is read from it.", DAMAGED)
        return buffer[begin : begin + length]

    def accessor(self, number: int) -> NDArray[Any]:
        """The stored numbers of an accessor, (count, width), without normalisation."""
        entry = self.document["accessors"][number]
        dtype, width, count = (
            COMPONENTS[entry["componentType"]],
            WIDTHS[entry["type"]],
            int(entry["count"]),
        )
        # One without data is all zeros, so its count alone could ask for any amount of memory: a row takes
        # at least a byte somewhere, or nothing would be known of it.
        if not 0 <= count <= self._bytes:
            raise FormatError(
                f"Accessor {number} says {count:,} rows, more than the file has bytes.", DAMAGED
            )
        if "bufferView" in entry:
            out = self._view(entry["bufferView"], int(entry.get("byteOffset", 0)), dtype, width, count)
        else:
            out = np.zeros((count, width), dtype)
        sparse = entry.get("sparse")
        if sparse is not None:
            changed = int(sparse["count"])
            where = sparse["indices"]
            rows = self._view(
                where["bufferView"],
                int(where.get("byteOffset", 0)),
                COMPONENTS[where["componentType"]],
                1,
                changed,
            )[:, 0]
            what = sparse["values"]
            if changed and int(rows.max()) >= count:
                raise FormatError(f"Accessor {number} replaces rows that it does not have.", DAMAGED)
            out = out.copy()
            out[rows] = self._view(what["bufferView"], int(what.get("byteOffset", 0)), dtype, width, changed)
        return out

    def _view(self, number: int, offset: int, dtype: np.dtype[Any], width: int, count: int) -> NDArray[Any]:
        view = self.document["bufferViews"][number]
        buffer = self._buffers[int(view["buffer"])]
        row = dtype.itemsize * width
        stride = int(view.get("byteStride", row))
        start = int(view.get("byteOffset", 0)) + offset
        end_of_view = int(view.get("byteOffset", 0)) + int(view["byteLength"])
        needed = start + (count - 1) * stride + row if count else start
        if offset < 0 or start < 0 or stride < row or needed > min(end_of_view, len(buffer)):
            raise FormatError(f"Buffer view {number} is too short for what is read from it.", DAMAGED)
        raw = np.ndarray((count, width), dtype, buffer, start, (stride, dtype.itemsize))
        return np.ascontiguousarray(raw)

    def floats(self, number: int) -> F32:
        """An accessor as float32; normalised integers as 0..1 or −1..1 (section 3.6.2.2)."""
        stored = self.accessor(number)
        if self.document["accessors"][number].get("normalized") and stored.dtype.kind in "iu":
            scaled = stored / np.float64(np.iinfo(stored.dtype).max)
            return np.maximum(scaled, -1).astype(np.float32)
        return stored.astype(np.float32)

    def pools(self) -> list[Pool]:
        """All vertex pools in file order, one for each (mesh, POSITION accessor)."""
        users: dict[tuple[int, int], list[tuple[int, int]]] = {}
        for m, mesh in enumerate(self.document.get("meshes", [])):
            for p, primitive in enumerate(mesh.get("primitives", [])):
                if primitive.get("mode", TRIANGLES) in (
                    TRIANGLES,
                    STRIP,
                    FAN,
                ) and "POSITION" in primitive.get("attributes", {}):
                    users.setdefault((m, primitive["attributes"]["POSITION"]), []).append((m, p))
        pools, first = [], 0
        for (m, accessor), primitives in users.items():
            count = int(self.document["accessors"][accessor]["count"])
            pools.append(Pool(m, accessor, first, count, tuple(primitives)))
            first += count
        return pools

    def require_room(self, pools: list[Pool], limits: Limits) -> None:
        """Raise FormatError before anything is made of counts that the limits do not allow."""
        accessors = self.document["accessors"]
        vertices = sum(pool.count for pool in pools)
        corners, names = 0, set()
        for pool in pools:
            for key in pool.primitives:
                primitive = self.primitive(key)
                indices = primitive.get("indices")
                corners += pool.count if indices is None else int(accessors[indices]["count"])
                names |= set(primitive["attributes"])
        triangles = corners // 3
        if vertices > limits.vertices or corners > 3 * limits.triangles:
            raise too_many(vertices, triangles, limits)
        # Accessors may lie over each other, and those without data take no room in the file.
        each = [
            4 * pool.count * WIDTHS[accessors[number]["type"]]
            for pool in pools
            for number in {n for key in pool.primitives for n in self.primitive(key)["attributes"].values()}
        ]
        Budget(self._bytes).take(sum(each) + 4 * corners, "The mesh")
        if len(names) > MOST_ATTRIBUTES:
            raise FormatError(
                f"The mesh has {len(names)} attributes for each vertex; at most {MOST_ATTRIBUTES} are read.",
                "Leave out those that are not needed.",
            )

    def primitive(self, key: tuple[int, int]) -> dict[str, Any]:
        return self.document["meshes"][key[0]]["primitives"][key[1]]

    def mesh_transforms(self) -> tuple[dict[int, F64], dict[int, int]]:
        """World matrix of the first node that shows each mesh, and how many nodes show it."""
        nodes = self.document.get("nodes", [])
        scenes = self.document.get("scenes", [])
        if scenes:
            roots = list(scenes[int(self.document.get("scene", 0))].get("nodes", []))
        else:
            children = {c for node in nodes for c in node.get("children", [])}
            roots = [n for n in range(len(nodes)) if n not in children]
        first: dict[int, F64] = {}
        shown: dict[int, int] = {}
        for number, world in self._walk(roots):
            mesh = nodes[number].get("mesh")
            if mesh is not None:
                first.setdefault(mesh, world)
                shown[mesh] = shown.get(mesh, 0) + 1
        return first, shown

    def _walk(self, roots: list[int]) -> Iterator[tuple[int, F64]]:
        nodes = self.document.get("nodes", [])
        waiting = [(n, np.eye(4)) for n in reversed(roots)]
        seen: set[int] = set()
        while waiting:
            number, parent = waiting.pop()
            if number in seen:
                raise FormatError("A node of the file stands in the scene twice.", DAMAGED)
            seen.add(number)
            world = parent @ node_matrix(nodes[number])
            yield number, world
            waiting += [(c, world) for c in reversed(nodes[number].get("children", []))]


def node_matrix(node: dict[str, Any]) -> F64:
    """Local matrix of a node: its matrix, or T·R·S (section 3.5.3)."""
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    x, y, z, w = np.array(node.get("rotation", (0, 0, 0, 1)), np.float64)
    out = np.eye(4)
    out[:3, :3] = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    out[:3, :3] = out[:3, :3] * np.array(node.get("scale", (1, 1, 1)), np.float64)
    out[:3, 3] = node.get("translation", (0, 0, 0))
    return out


def strip_triangles(indices: U32, mode: int) -> U32:
    """Index list (k,) of a primitive to triangles (m, 3), keeping the winding of strips and fans."""
    if mode == TRIANGLES:
        return indices[: indices.size // 3 * 3].reshape(-1, 3)
    if indices.size < 3:
        return np.empty((0, 3), np.uint32)
    if mode == FAN:
        hub = np.full(indices.size - 2, indices[0], np.uint32)
        return np.stack([hub, indices[1:-1], indices[2:]], axis=1)
    strip = np.stack([indices[:-2], indices[1:-1], indices[2:]], axis=1)
    strip[1::2] = strip[1::2][:, [1, 0, 2]]
    return strip
