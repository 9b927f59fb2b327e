"""Reading GLB as a mesh in world space.

Sites are the pools' vertices one after another, in file order, placed by the first node that
shows the mesh.
"""

from dataclasses import replace
from typing import Any

import numpy as np

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.glb_reader import (
    COMPONENTS,
    DAMAGED,
    TRIANGLES,
    GlbReader,
    Pool,
    open_container,
    strip_triangles,
)
from ashblend.core.formats.plain_glb import plain_glb
from ashblend.core.sites.mesh import ColourSet, Group, Mesh


def _numbered(names: set[str], prefix: str) -> list[str]:
    found = [n for n in names if n.startswith(prefix) and n[len(prefix) :].isdigit()]
    return sorted(found, key=lambda n: int(n[len(prefix) :]))


def _component_bits(reader: GlbReader, number: int) -> int:
    return int(COMPONENTS[reader.document["accessors"][number]["componentType"]].itemsize) * 8


class _Gathered:
    """Attributes of all pools laid one after another; a pool without one leaves the filling."""

    def __init__(self, reader: GlbReader, pools: list[Pool]) -> None:
        self._reader = reader
        self._pools = pools
        self._total = sum(p.count for p in pools)

    def names(self) -> set[str]:
        return {n for pool in self._pools for n in self._attributes(pool)}

    def _attributes(self, pool: Pool) -> dict[str, int]:
        merged: dict[str, int] = {}
        for key in pool.primitives:
            for name, number in self._reader.primitive(key)["attributes"].items():
                merged.setdefault(name, number)
        return merged

    def bits(self, name: str) -> int:
        return max(
            _component_bits(self._reader, attributes[name])
            for attributes in map(self._attributes, self._pools)
            if name in attributes
        )

    def everywhere(self, name: str) -> bool:
        return all(name in self._attributes(pool) for pool in self._pools)

    def values(self, name: str, width: int | None = None, filling: float = 0.0) -> F32:
        parts = [
            (pool, self._reader.floats(attributes[name]))
            for pool, attributes in ((p, self._attributes(p)) for p in self._pools)
            if name in attributes
        ]
        widest = max(values.shape[1] for _, values in parts)
        out = np.full((self._total, width or widest), filling, np.float32)
        for pool, values in parts:
            if values.shape[0] != pool.count:
                raise FormatError(
                    f"{name} has {values.shape[0]:,} values for {pool.count:,} vertices.", DAMAGED
                )
            columns = min(values.shape[1], out.shape[1])
            out[pool.first : pool.first + pool.count, :columns] = values[:, :columns]
        return out


def _place(values: F32, pools: list[Pool], matrices: dict[int, F64], kind: str) -> F32:
    out = values.astype(np.float32, copy=True)
    for pool in pools:
        world = matrices.get(pool.mesh)
        if world is None or np.array_equal(world, np.eye(4)):
            continue
        rows = slice(pool.first, pool.first + pool.count)
        linear = world[:3, :3]
        if kind == "position":
            out[rows, :3] = values[rows, :3].astype(np.float64) @ linear.T + world[:3, 3]
        elif kind == "tangent":
            turned = values[rows, :3].astype(np.float64) @ linear.T
            length = np.linalg.norm(turned, axis=1, keepdims=True)
            out[rows, :3] = turned / np.where(length > 0, length, 1.0)
            if np.linalg.det(linear) < 0:
                out[rows, 3] = -values[rows, 3]
        elif abs(np.linalg.det(linear)) > 0:
            turned = values[rows, :3].astype(np.float64) @ np.linalg.inv(linear)
            length = np.linalg.norm(turned, axis=1, keepdims=True)
            out[rows, :3] = turned / np.where(length > 0, length, 1.0)
    return out


def _group_name(document: dict[str, Any], key: tuple[int, int]) -> str:
    """What a primitive is called: by its extras, or by its mesh and material."""
    mesh = document["meshes"][key[0]]
    primitive = mesh["primitives"][key[1]]
    extras = primitive.get("extras")
    given = extras.get("group") if isinstance(extras, dict) else None
    if isinstance(given, str) and given.strip():
        return given.strip()[:60]
    name = mesh.get("name") or f"mesh {key[0]}"
    if len(mesh["primitives"]) == 1:
        return str(name)
    material = primitive.get("material")
    if material is None:
        return f"{name} · part {key[1] + 1}"
    return f"{name} · {document['materials'][material].get('name') or f'material {material}'}"


def _triangles(
    reader: GlbReader, pools: list[Pool], matrices: dict[int, F64]
) -> tuple[U32, tuple[Group, ...]]:
    parts: list[U32] = []
    groups: list[Group] = []
    first = 0
    for pool in pools:
        mirrored = pool.mesh in matrices and np.linalg.det(matrices[pool.mesh][:3, :3]) < 0
        for key in pool.primitives:
            primitive = reader.primitive(key)
            if "indices" in primitive:
                indices = reader.accessor(primitive["indices"]).reshape(-1)
                if indices.dtype.kind != "u":
                    raise FormatError("A primitive's indices are not unsigned integers.", DAMAGED)
                # Primitive restart values are not allowed in glTF; they would show up here.
                if indices.size and int(indices.max()) >= pool.count:
                    raise FormatError(
                        f"A triangle refers to vertex {int(indices.max()):,} of {pool.count:,}.", DAMAGED
                    )
            else:
                indices = np.arange(pool.count)
            triangles = strip_triangles(
                indices.astype(np.uint32), primitive.get("mode", TRIANGLES)
            ) + np.uint32(pool.first)
            if mirrored:
                triangles = triangles[:, ::-1]
            groups.append(Group(_group_name(reader.document, key), first, len(triangles)))
            parts.append(triangles)
            first += len(triangles)
    return np.ascontiguousarray(np.concatenate(parts)), tuple(groups)


def _mesh(reader: GlbReader, limits: Limits) -> Mesh:
    pools = reader.pools()
    if not pools:
        raise FormatError("The file holds no triangle mesh.", "Export a mesh with faces.")
    reader.require_room(pools, limits)
    matrices, shown = reader.mesh_transforms()
    gathered = _Gathered(reader, pools)
    names = gathered.names()
    notes = [
        f"{reader.document['meshes'][m].get('name') or f'Mesh {m}'} is placed {n} times; "
        "the first is shown, all share the weights."
        for m, n in shown.items()
        if n > 1
    ]
    if any("skin" in node for node in reader.document.get("nodes", [])):
        notes.append("The file has a skin; it is kept, and the mesh is shown in its bind pose.")
    # Positions come first: where their accessor lies about its count, nothing else is made by it.
    positions = _place(gathered.values("POSITION"), pools, matrices, "position")
    triangles, groups = _triangles(reader, pools, matrices)
    normals = tangents = None
    if gathered.everywhere("NORMAL"):
        normals = _place(gathered.values("NORMAL"), pools, matrices, "normal")
        if gathered.everywhere("TANGENT"):
            tangents = _place(gathered.values("TANGENT", 4), pools, matrices, "tangent")
    colours = tuple(
        ColourSet(name, gathered.values(name), gathered.bits(name))
        for prefix in ("COLOR_", "_MASK")
        for name in _numbered(names, prefix)
    )
    taken = {c.name for c in colours}
    return Mesh(
        positions=positions,
        triangles=triangles,
        normals=normals,
        tangents=tangents,
        uvs=tuple(gathered.values(n, 2) for n in _numbered(names, "TEXCOORD_")),
        colours=colours,
        attributes={n: gathered.values(n) for n in sorted(names) if n.startswith("_") and n not in taken},
        groups=groups,
        notes=tuple(notes),
    )


def read_glb(data: bytes, limits: Limits) -> Mesh:
    """A GLB file as a mesh in world space. Raises FormatError."""
    data, unpacked = plain_glb(data, limits)
    try:
        mesh = _mesh(GlbReader(open_container(data)), limits)
        return replace(mesh, notes=(*unpacked, *mesh.notes))
    except FormatError:
        raise
    except (KeyError, IndexError, TypeError, ValueError, AttributeError, OverflowError, MemoryError) as error:
        # Structural nonsense shows up as one of these wherever it is first touched.
        raise FormatError("The file contradicts itself: what it refers to is not there.", DAMAGED) from error
