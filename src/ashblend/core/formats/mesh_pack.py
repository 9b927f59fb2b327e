"""A mesh as bytes of our own, for keeping: every array bit for bit, with hard borders and groups.

uint32 length of a JSON head, the head, then arrays one after another; all compressed with Zstandard.
"""

import json
from typing import Any

import numpy as np
import zstandard
from numpy.typing import NDArray

from ashblend.core.sites.mesh import ColourSet, Group, Mesh
from ashblend.core.terrain.frame import TerrainMesh, terrain_mesh
from ashblend.core.terrain.terrain import Terrain


def pack_arrays(head: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> bytes:
    """A JSON head and named arrays as one compressed string of bytes."""
    entries = [
        {"name": name, "kind": values.dtype.newbyteorder("<").str, "shape": list(values.shape)}
        for name, values in arrays.items()
    ]
    text = json.dumps({**head, "arrays": entries}).encode()
    parts = [len(text).to_bytes(4, "little"), text]
    parts += [np.ascontiguousarray(v).astype(v.dtype.newbyteorder("<")).tobytes() for v in arrays.values()]
    return zstandard.ZstdCompressor(level=1).compress(b"".join(parts))


def unpack_arrays(data: bytes) -> tuple[dict[str, Any], dict[str, NDArray[Any]]]:
    """Head and arrays of `pack_arrays`; the arrays may be written to."""
    raw = zstandard.ZstdDecompressor().decompress(data)
    length = int.from_bytes(raw[:4], "little")
    head = json.loads(raw[4 : 4 + length])
    at, arrays = 4 + length, {}
    for entry in head.pop("arrays"):
        kind = np.dtype(entry["kind"])
        count = int(np.prod(entry["shape"], dtype=np.int64))
        arrays[entry["name"]] = np.frombuffer(raw, kind, count, at).reshape(entry["shape"]).copy()
        at += count * kind.itemsize
    return head, arrays


def pack_mesh(mesh: Mesh) -> bytes:
    """A mesh as bytes; of a terrain its heights, from which its frame follows."""
    if isinstance(mesh, TerrainMesh):
        terrain = mesh.terrain
        return pack_arrays(
            {"terrain": [terrain.spacing, terrain.low, terrain.high]}, {"heights": terrain.heights}
        )
    arrays: dict[str, NDArray[Any]] = {"positions": mesh.positions, "triangles": mesh.triangles}
    for name in ("normals", "tangents", "sides", "split_from"):
        values = getattr(mesh, name)
        if values is not None:
            arrays[name] = values
    arrays |= {f"uv/{i}": uv for i, uv in enumerate(mesh.uvs)}
    arrays |= {f"colour/{i}": c.values for i, c in enumerate(mesh.colours)}
    arrays |= {f"attribute/{name}": values for name, values in mesh.attributes.items()}
    head = {
        "colours": [[c.name, c.bits] for c in mesh.colours],
        "groups": [[g.name, g.first, g.count] for g in mesh.groups],
        "notes": list(mesh.notes),
    }
    return pack_arrays(head, arrays)


def unpack_mesh(data: bytes) -> Mesh:
    """The mesh of `pack_mesh`."""
    head, arrays = unpack_arrays(data)
    if "terrain" in head:
        heights = arrays["heights"]
        heights.setflags(write=False)
        return terrain_mesh(Terrain(heights, *head["terrain"]))
    return Mesh(
        positions=arrays["positions"],
        triangles=arrays["triangles"],
        normals=arrays.get("normals"),
        tangents=arrays.get("tangents"),
        uvs=tuple(v for k, v in arrays.items() if k.startswith("uv/")),
        colours=tuple(
            ColourSet(name, arrays[f"colour/{i}"], bits) for i, (name, bits) in enumerate(head["colours"])
        ),
        attributes={k.removeprefix("attribute/"): v for k, v in arrays.items() if k.startswith("attribute/")},
        groups=tuple(Group(*g) for g in head["groups"]),
        sides=arrays.get("sides"),
        split_from=arrays.get("split_from"),
        notes=tuple(head["notes"]),
    )
