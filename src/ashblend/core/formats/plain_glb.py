"""Taking the compression out of a GLB: what Draco or meshopt packed becomes plain accessors.

Everything else of the file stays: names, materials, textures, animations, extensions. What is kept of an import is
this plain file, so that reader and writer need to know of one kind only.

Sources: KHR_draco_mesh_compression, EXT_meshopt_compression and KHR_meshopt_compression in the Khronos glTF
extension registry. Decoders: DracoPy and meshopt, which bind the reference implementations. Counts are held against
the limits before a decoder is called, and its answer against what the file says.
"""

import struct
from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError, Limits, too_many
from ashblend.core.formats.glb_reader import (
    COMPONENTS,
    DAMAGED,
    WIDTHS,
    GlbReader,
    open_container,
)
from ashblend.core.formats.glb_write import write_container

DRACO = "KHR_draco_mesh_compression"
MESHOPT = ("EXT_meshopt_compression", "KHR_meshopt_compression")
NAMES = {DRACO: "Draco", MESHOPT[0]: "meshopt", MESHOPT[1]: "meshopt"}
CONTRADICTION = "The file's compressed geometry contradicts what it says of it."
# The names stand in the JSON, which comes first; a file without them need not be taken apart twice.
MOST_HEAD = 64_000_000


class ChunkBytes:
    """The binary chunk of a file being laid out anew."""

    def __init__(self) -> None:
        self.parts: list[bytes] = []
        self.length = 0

    def add(self, data: bytes) -> int:
        """Append on four bytes; where it begins."""
        gap = -self.length % 4
        begin = self.length + gap
        self.parts += [b"\0" * gap, data]
        self.length = begin + len(data)
        return begin

    def joined(self) -> bytes:
        return b"".join(self.parts)


def _said(entry: dict[str, Any], name: str) -> dict[str, Any] | None:
    """What an object of the file says under an extension."""
    found = entry.get("extensions", {}).get(name)
    return found if isinstance(found, dict) else None


def _without(entry: dict[str, Any], names: tuple[str, ...]) -> None:
    left = {name: value for name, value in entry.get("extensions", {}).items() if name not in names}
    if left:
        entry["extensions"] = left
    else:
        entry.pop("extensions", None)


def _meshopt(reader: GlbReader, said: dict[str, Any], budget: Budget) -> bytes:
    """The plain bytes of a view that meshopt packed."""
    import meshopt

    count, stride = int(said["count"]), int(said["byteStride"])
    mode, how = str(said["mode"]), str(said.get("filter", "NONE"))
    packed = reader.buffer_bytes(int(said["buffer"]), int(said.get("byteOffset", 0)), int(said["byteLength"]))
    if count < 0 or not 0 < stride <= 256:
        raise FormatError(CONTRADICTION, DAMAGED)
    # Indices are decoded as four bytes each.
    budget.take(count * max(stride, 4), "What meshopt packed")
    try:
        plain = meshopt.decode_gltf_buffer(packed, count, stride, mode, None if how == "NONE" else how)
    except (ValueError, RuntimeError) as error:
        raise FormatError("The file's meshopt compression cannot be undone.", DAMAGED) from error
    data = np.ascontiguousarray(plain)
    if mode != "ATTRIBUTES":
        data = data.astype("<u2" if stride == 2 else "<u4")
    out = data.tobytes()
    if len(out) != count * stride:
        raise FormatError(CONTRADICTION, DAMAGED)
    return out


def _views(reader: GlbReader, document: dict[str, Any], out: ChunkBytes, budget: Budget) -> set[str]:
    """Lay every view's bytes out anew, unpacked; names of the extensions that were met."""
    met = set()
    for view in document.get("bufferViews", []):
        packed = next(((name, said) for name in MESHOPT if (said := _said(view, name)) is not None), None)
        if packed is None:
            budget.take(int(view["byteLength"]), "Its buffer views")
            data = reader.buffer_bytes(
                int(view["buffer"]), int(view.get("byteOffset", 0)), int(view["byteLength"])
            )
        else:
            met.add(packed[0])
            data = _meshopt(reader, packed[1], budget)
            _without(view, MESHOPT)
        view.update(buffer=0, byteOffset=out.add(data), byteLength=len(data))
    return met


def _point(document: dict[str, Any], out: ChunkBytes, number: int, rows: NDArray[Any]) -> None:
    """Let an accessor have these rows, as the kind of numbers that it says."""
    accessor = document["accessors"][number]
    dtype, width = COMPONENTS[accessor["componentType"]], WIDTHS[accessor["type"]]
    if rows.shape != (int(accessor["count"]), width):
        raise FormatError(CONTRADICTION, DAMAGED)
    row = dtype.itemsize * width
    stride = row if accessor["type"] == "SCALAR" else row + -row % 4
    padded = np.zeros((rows.shape[0], stride), np.uint8)
    padded[:, :row] = np.ascontiguousarray(rows.astype(dtype)).view(np.uint8).reshape(-1, row)
    data = padded.tobytes()
    view: dict[str, Any] = {"buffer": 0, "byteOffset": out.add(data), "byteLength": len(data)}
    if stride != row:
        view["byteStride"] = stride
    document["bufferViews"].append(view)
    accessor["bufferView"] = len(document["bufferViews"]) - 1
    accessor.pop("byteOffset", None)


def _primitives(document: dict[str, Any]) -> Iterator[tuple[dict[str, Any], dict[str, Any]]]:
    for mesh in document.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            said = _said(primitive, DRACO)
            if said is not None:
                yield primitive, said


def _draco(
    reader: GlbReader, document: dict[str, Any], out: ChunkBytes, limits: Limits, budget: Budget
) -> None:
    """Give every primitive that Draco packed accessors of its own."""
    import DracoPy

    found = list(_primitives(document))
    accessors = document["accessors"]
    vertices = sum(int(accessors[p["attributes"]["POSITION"]]["count"]) for p, _ in found)
    corners = sum(int(accessors[p["indices"]]["count"]) for p, _ in found if "indices" in p)
    if vertices > limits.vertices or corners > 3 * limits.triangles:
        raise too_many(vertices, corners // 3, limits)
    for primitive, said in found:
        # Decoded as numbers of up to eight bytes, of which accessors are made.
        said_of = [accessors[primitive["attributes"][name]] for name in said["attributes"]]
        said_numbers = sum(int(a["count"]) * WIDTHS[a["type"]] for a in said_of)
        if "indices" in primitive:
            said_numbers += int(accessors[primitive["indices"]]["count"])
        budget.take(4 * said_numbers, "What Draco packed")
        view = reader.document["bufferViews"][int(said["bufferView"])]
        packed = reader.buffer_bytes(
            int(view["buffer"]), int(view.get("byteOffset", 0)), int(view["byteLength"])
        )
        try:
            mesh = DracoPy.decode(packed)
        except (ValueError, RuntimeError, DracoPy.FileTypeException) as error:
            raise FormatError("The file's Draco compression cannot be undone.", DAMAGED) from error
        held = {int(entry["unique_id"]): np.asarray(entry["data"]) for entry in mesh.attributes}
        for name, ident in said["attributes"].items():
            rows = held[int(ident)]
            _point(document, out, primitive["attributes"][name], rows.reshape(rows.shape[0], -1))
        if "indices" in primitive:
            _point(document, out, primitive["indices"], np.asarray(mesh.faces).reshape(-1, 1))
        _without(primitive, (DRACO,))


def plain_glb(data: bytes, limits: Limits, budget: Budget | None = None) -> tuple[bytes, tuple[str, ...]]:
    """The same GLB without compressed geometry, and notes about it; the very bytes where there is none.

    budget: what is left of the upload that it came in; its own where it came alone. Raises FormatError.
    """
    budget = budget or Budget(len(data))
    if not any(name.encode() in data[:MOST_HEAD] for name in NAMES):
        return data, ()
    container = open_container(data)
    used = container.document.get("extensionsUsed", [])
    if not isinstance(used, list) or not set(map(str, used)) & set(NAMES):
        return data, ()
    try:
        reader = GlbReader(container)
        document = container.copied()
        out = ChunkBytes()
        met = _views(reader, document, out, budget)
        if DRACO in used and any(True for _ in _primitives(document)):
            met.add(DRACO)
            _draco(reader, document, out, limits, budget)
        document["buffers"] = [{"byteLength": out.length}]
        for name in ("extensionsUsed", "extensionsRequired"):
            left = [entry for entry in document.get(name, []) if entry not in NAMES]
            document.pop(name, None)
            if left:
                document[name] = left
    except FormatError:
        raise
    except (
        KeyError, IndexError, TypeError, ValueError, AttributeError, OverflowError, MemoryError, struct.error
    ) as error:  # fmt: skip
        raise FormatError(CONTRADICTION, DAMAGED) from error
    plain = write_container(document, out.joined(), container.others)
    names = " and ".join(sorted({NAMES[name] for name in met}))
    notes = (f"The geometry was compressed ({names}). It is kept and exported without that.",) if met else ()
    return plain, notes
