"""Writing GLB: adding weights to the file they were painted on, or building a new file.

Adding never touches what is there: the BIN chunk stays as a prefix bit for bit, new data goes
behind it, and the JSON gains accessors, views and attribute entries only. An attribute of the same
name is pointed to its new data; the old bytes stay where they are.
"""

import json
import re
import struct
from collections.abc import Collection, Sequence
from itertools import chain, count
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.channels.quantise import quantise
from ashblend.core.formats.attribute import Bits, ExportAttribute
from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.glb_reader import BIN_CHUNK, JSON_CHUNK, MAGIC, GlbReader, open_container
from ashblend.core.sites.mesh import Mesh

COMPONENT_TYPE = {8: 5121, 16: 5123, 32: 5126}
TYPE_OF_WIDTH = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}
ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER = 34962, 34963


class _Bin:
    """The BIN chunk being built, with the views and accessors that point into it."""

    def __init__(self, document: dict[str, Any], binary: bytes) -> None:
        self._document = document
        self._parts = [binary]
        self._length = len(binary)

    def _pad(self) -> None:
        gap = -self._length % 4
        self._parts.append(b"\0" * gap)
        self._length += gap

    def add(self, rows: NDArray[Any], accessor: dict[str, Any], target: int) -> int:
        """Append (count, width) rows, each begun on four bytes; returns the accessor's number."""
        self._pad()
        row = rows.shape[1] * rows.itemsize
        stride = row + -row % 4 if target == ARRAY_BUFFER else row
        if stride == row:
            data = np.ascontiguousarray(rows).tobytes()
        else:
            padded = np.zeros((rows.shape[0], stride), np.uint8)
            padded[:, :row] = np.ascontiguousarray(rows).view(np.uint8).reshape(rows.shape[0], row)
            data = padded.tobytes()
        view: dict[str, Any] = {
            "buffer": 0,
            "byteOffset": self._length,
            "byteLength": len(data),
            "target": target,
        }
        if stride != row:
            view["byteStride"] = stride
        self._parts.append(data)
        self._length += len(data)
        views = self._document.setdefault("bufferViews", [])
        accessors = self._document.setdefault("accessors", [])
        views.append(view)
        accessors.append({"bufferView": len(views) - 1, "count": int(rows.shape[0]), **accessor})
        return len(accessors) - 1

    def finish(self, others: Sequence[tuple[int, bytes]] = ()) -> bytes:
        """The whole GLB. others: chunks of further kinds, kept as they were."""
        length = self._length
        buffers = self._document.setdefault("buffers", [])
        if not buffers:
            buffers.append({})
        buffers[0]["byteLength"] = length
        return write_container(self._document, b"".join(self._parts), others)


def write_container(
    document: dict[str, Any], binary: bytes, others: Sequence[tuple[int, bytes]] = ()
) -> bytes:
    """A GLB of its JSON and its BIN chunk. others: chunks of further kinds, kept as they were."""
    # Half a character, which some programs write, has no bytes of its own in UTF-8: it stays escaped.
    text = json.dumps(document, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    chunks = [(JSON_CHUNK, text), (BIN_CHUNK, binary), *others]
    total = 12 + sum(8 + len(data) for _, data in chunks)
    parts = [struct.pack("<III", MAGIC, 2, total)]
    for kind, data in chunks:
        parts += [struct.pack("<II", len(data), kind), data]
    return b"".join(parts)


def stored_weights(attribute: ExportAttribute) -> NDArray[Any]:
    """The attribute's values as they stand in the file."""
    if attribute.bits == 32:
        return attribute.values.astype("<f4")
    return quantise(attribute.values, attribute.bits)


def _weight_accessor(width: int, bits: Bits) -> dict[str, Any]:
    out: dict[str, Any] = {"componentType": COMPONENT_TYPE[bits], "type": TYPE_OF_WIDTH[width]}
    if bits != 32:
        out["normalized"] = True
    return out


def _check(attributes: Sequence[ExportAttribute], vertices: int) -> None:
    for attribute in attributes:
        width = attribute.values.shape[1]
        if attribute.values.shape[0] != vertices:
            raise ValueError(
                f"{attribute.name} has {attribute.values.shape[0]} values for {vertices} vertices"
            )
        if attribute.name.startswith("COLOR_") and width not in (3, 4):
            raise FormatError(
                f"{attribute.name} needs three or four channels, this set has {width}.",
                "Export it as a mask attribute instead.",
            )


def add_to_glb(original: bytes, attributes: Sequence[ExportAttribute]) -> bytes:
    """The original file with attributes added; everything else stays bit for bit.

    attributes: values for all sites in the order in which `read_glb` gives them.
    Raises FormatError when buffer 0 is a data URI: new data has no place then, since GLB allows
    the BIN chunk as buffer 0 alone.
    """
    container = open_container(original)
    reader = GlbReader(container)
    document = container.copied()
    buffers = document.get("buffers", [])
    if buffers and "uri" in buffers[0]:
        raise FormatError(
            "The file's first buffer is written as text inside the JSON.",
            "Export it from its program as a plain GLB once, then import that.",
        )
    pools = reader.pools()
    _check(attributes, sum(p.count for p in pools))
    out = _Bin(document, container.binary)
    for attribute in attributes:
        stored = stored_weights(attribute)
        for pool in pools:
            number = out.add(
                stored[pool.first : pool.first + pool.count],
                _weight_accessor(stored.shape[1], attribute.bits),
                ARRAY_BUFFER,
            )
            for m, p in pool.primitives:
                document["meshes"][m]["primitives"][p]["attributes"][attribute.name] = number
    _require_first_colours(document, attributes)
    _tell(document, attributes)
    return out.finish(container.others)


def _tell(document: dict[str, Any], attributes: Sequence[ExportAttribute]) -> None:
    """What each attribute holds, in the extras of the meshes: a name such as _MASK1 says nothing by itself."""
    told = [
        {"attribute": a.name, "name": a.set_name, "channels": list(a.channels)}
        for a in attributes
        if a.set_name
    ]
    for mesh in document["meshes"] if told else ():
        # Extras may be anything (glTF 2.0, section 3.2); what is no object has no place for more.
        if isinstance(mesh.setdefault("extras", {}), dict):
            mesh["extras"]["channel_sets"] = told


def _require_first_colours(document: dict[str, Any], attributes: Sequence[ExportAttribute]) -> None:
    """COLOR_1 without COLOR_0 is not valid glTF (section 3.7.2.1: indices start with 0, no gaps).

    A gap that the file came with is not ours: it does not keep masks from being added.
    """
    wanted = [int(a.name.removeprefix("COLOR_")) for a in attributes if a.name.startswith("COLOR_")]
    for mesh in document["meshes"]:
        for primitive in mesh["primitives"]:
            held = primitive.get("attributes", {})
            missing = [i for i in range(max(wanted, default=-1)) if f"COLOR_{i}" not in held]
            if missing:
                raise FormatError(
                    f"The file would have COLOR_{max(wanted)} without COLOR_{missing[0]}, which glTF does not allow.",
                    f"Export as COLOR_{missing[0]}, or as a mask attribute.",
                )


def _custom_name(name: str, taken: Collection[str]) -> str:
    """A name that glTF allows for values of one's own: an underscore and capitals (section 3.7.2.1)."""
    plain = name if name.startswith("_") else "_" + re.sub(r"\W", "_", name).upper()
    names = chain([plain], (f"{plain}_{k}" for k in count(2)))
    return next(n for n in names if n not in taken)


def build_glb(mesh: Mesh, attributes: Sequence[ExportAttribute], name: str) -> bytes:
    """A new GLB: one mesh, one primitive and material for each group, all sharing the vertices."""
    _check(attributes, mesh.vertex_count)
    document: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Ash Blend"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": name}],
    }
    out = _Bin(document, b"")
    f4 = {"componentType": 5126}
    shared: dict[str, int] = {
        "POSITION": out.add(
            mesh.positions.astype("<f4"),
            {
                **f4,
                "type": "VEC3",
                "min": mesh.positions.min(axis=0).astype(float).tolist(),
                "max": mesh.positions.max(axis=0).astype(float).tolist(),
            },
            ARRAY_BUFFER,
        )
    }
    if mesh.normals is not None:
        shared["NORMAL"] = out.add(mesh.normals.astype("<f4"), {**f4, "type": "VEC3"}, ARRAY_BUFFER)
    if mesh.tangents is not None:
        shared["TANGENT"] = out.add(mesh.tangents.astype("<f4"), {**f4, "type": "VEC4"}, ARRAY_BUFFER)
    for i, uv in enumerate(mesh.uvs):
        shared[f"TEXCOORD_{i}"] = out.add(uv.astype("<f4"), {**f4, "type": "VEC2"}, ARRAY_BUFFER)
    for custom, values in mesh.attributes.items():
        kind = TYPE_OF_WIDTH[values.shape[1]]
        named = _custom_name(custom, {*shared, *(a.name for a in attributes)})
        shared[named] = out.add(values.astype("<f4"), {**f4, "type": kind}, ARRAY_BUFFER)
    for attribute in attributes:
        stored = stored_weights(attribute)
        shared[attribute.name] = out.add(
            stored, _weight_accessor(stored.shape[1], attribute.bits), ARRAY_BUFFER
        )
    primitives, materials = [], []
    for group in mesh.groups:
        if group.count == 0:
            continue
        indices = mesh.triangles[group.first : group.first + group.count].reshape(-1, 1).astype("<u4")
        accessor = out.add(indices, {"componentType": 5125, "type": "SCALAR"}, ELEMENT_ARRAY_BUFFER)
        materials.append({"name": group.name})
        primitives.append(
            {
                "attributes": dict(shared),
                "indices": accessor,
                "material": len(materials) - 1,
                "mode": 4,
                "extras": {"group": group.name},
            }
        )
    document["materials"] = materials
    document["meshes"] = [{"name": name, "primitives": primitives}]
    _require_first_colours(document, attributes)
    _tell(document, attributes)
    return out.finish()
