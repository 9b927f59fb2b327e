"""GLB files that tests make by hand, without our own writer."""

import json
import struct
from typing import Any

import numpy as np

KINDS = {
    np.dtype(t): c
    for t, c in (("u1", 5121), ("<u2", 5123), ("<u4", 5125), ("<f4", 5126), ("i1", 5120), ("<i2", 5122))
}
TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}


class GlbMaker:
    """Collects arrays as accessors; document is free to be changed before `bytes`."""

    def __init__(self) -> None:
        self.document: dict[str, Any] = {
            "asset": {"version": "2.0"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": [{"mesh": 0}],
            "meshes": [],
            "accessors": [],
            "bufferViews": [],
        }
        self.binary = b""

    def add(
        self, rows: np.ndarray, *, normalized: bool = False, target: int = 34962, bounds: bool = False
    ) -> int:
        rows = np.atleast_2d(rows.T).T
        row = rows.shape[1] * rows.itemsize
        stride = row + (-row % 4 if target == 34962 else 0)
        padded = np.zeros((len(rows), stride), np.uint8)
        padded[:, :row] = np.ascontiguousarray(rows).view(np.uint8).reshape(len(rows), row)
        self.binary += b"\0" * (-len(self.binary) % 4)
        view = {"buffer": 0, "byteOffset": len(self.binary), "byteLength": padded.size, "target": target}
        if stride != row:
            view["byteStride"] = stride
        self.document["bufferViews"].append(view)
        accessor: dict[str, Any] = {
            "bufferView": len(self.document["bufferViews"]) - 1,
            "componentType": KINDS[rows.dtype],
            "count": len(rows),
            "type": TYPES[rows.shape[1]],
        }
        if normalized:
            accessor["normalized"] = True
        if bounds:
            accessor["min"], accessor["max"] = rows.min(0).tolist(), rows.max(0).tolist()
        self.document["accessors"].append(accessor)
        self.binary += padded.tobytes()
        return len(self.document["accessors"]) - 1

    def bytes(self) -> bytes:
        self.document["buffers"] = [{"byteLength": len(self.binary)}]
        return pack_glb(self.document, self.binary)


def pack_glb(document: Any, binary: bytes) -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    body = (
        struct.pack("<II", len(text), 0x4E4F534A)
        + text
        + struct.pack("<II", len(binary), 0x004E4942)
        + binary
    )
    return struct.pack("<III", 0x46546C67, 2, 12 + len(body)) + body


def split_glb(data: bytes) -> tuple[dict[str, Any], bytes]:
    length = struct.unpack_from("<I", data, 12)[0]
    return json.loads(data[20 : 20 + length]), data[28 + length :]


def rich_glb(seed: int = 0, vertices: int = 40) -> bytes:
    """Two meshes, three primitives, two of which share vertices; two UV sets, three colour sets of
    different kinds, a custom attribute, extras, a moved and a mirrored node, a strip."""
    rng = np.random.default_rng(seed)
    maker = GlbMaker()

    def attributes(count: int, *, colours: bool) -> dict[str, int]:
        normals = rng.standard_normal((count, 3))
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        out = {
            "POSITION": maker.add(rng.standard_normal((count, 3)).astype("<f4"), bounds=True),
            "NORMAL": maker.add(normals.astype("<f4")),
            "TEXCOORD_0": maker.add(rng.random((count, 2)).astype("<f4")),
            "TEXCOORD_1": maker.add(rng.integers(0, 65536, (count, 2)).astype("<u2"), normalized=True),
            "_WIND": maker.add(rng.standard_normal((count, 1)).astype("<f4")),
        }
        if colours:
            out["COLOR_0"] = maker.add(rng.integers(0, 256, (count, 4)).astype("u1"), normalized=True)
            out["COLOR_1"] = maker.add(rng.integers(0, 65536, (count, 3)).astype("<u2"), normalized=True)
            out["COLOR_2"] = maker.add(rng.random((count, 4)).astype("<f4"))
        return out

    first = attributes(vertices, colours=True)
    second = attributes(vertices // 2, colours=False)
    triangles = [rng.integers(0, vertices, (n, 1)) for n in (30, 45)]
    maker.document["materials"] = [{"name": "Setts", "extras": {"wet": 0.25}}, {"name": "Kerb"}]
    maker.document["meshes"] = [
        {
            "name": "Slip",
            "extras": {"note": "ä"},
            "primitives": [
                {
                    "attributes": dict(first),
                    "indices": maker.add(triangles[0].astype("<u2"), target=34963),
                    "material": 0,
                },
                {
                    "attributes": dict(first),
                    "indices": maker.add(triangles[1].astype("<u4"), target=34963),
                    "material": 1,
                },
            ],
        },
        {"primitives": [{"attributes": second, "mode": 5}]},
    ]
    maker.document["nodes"] = [
        {"name": "root", "children": [1, 2], "translation": [1.0, 2.0, -3.0]},
        {"mesh": 0, "rotation": [0.0, 0.7071067811865476, 0.0, 0.7071067811865476], "scale": [2.0, 1.0, 0.5]},
        {"mesh": 1, "scale": [-1.0, 1.0, 1.0], "extras": {"tag": [1, 2]}},
    ]
    return maker.bytes()
