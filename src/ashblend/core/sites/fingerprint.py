"""Short names of what a mesh is: two of the same shape have the same.

Tried: the packed bytes of a mesh, hashed: a second for a million vertices. The arrays where they lie take 40 ms, and the
sum over two million triangles 17 ms; in NumPy that sum took 170.
"""

import hashlib
from weakref import WeakKeyDictionary

import numba
import numpy as np

from ashblend.core.arrays import U32
from ashblend.core.sites.mesh import Mesh

# Meshes do not change.
_SHAPES: WeakKeyDictionary[Mesh, str] = WeakKeyDictionary()
_FACES: WeakKeyDictionary[Mesh, str] = WeakKeyDictionary()


@numba.njit(cache=True)
def _sum_of_rows(rows: U32) -> np.uint64:
    """The same in whatever order the rows are. Source of the mixing: SplitMix64 (Steele, Lea and Flood 2014, OOPSLA)."""
    total = np.uint64(0)
    for i in range(rows.shape[0]):
        z = np.uint64(0)
        for k in range(rows.shape[1]):
            z = (z + np.uint64(rows[i, k]) + np.uint64(0x9E3779B97F4A7C15)) * np.uint64(0xBF58476D1CE4E5B9)
            z = (z ^ (z >> np.uint64(30))) * np.uint64(0x94D049BB133111EB)
            z ^= z >> np.uint64(31)
        total += z
    return total


def _named(digest: hashlib.blake2b, *arrays: np.ndarray) -> str:
    for array in arrays:
        digest.update(f"{array.dtype}{array.shape}".encode())
        digest.update(np.ascontiguousarray(array).data)
    return digest.hexdigest()


def shape_name(mesh: Mesh) -> str:
    """By vertices with their normals, UVs and sides, and triangles in whatever order and groups. 32 hexadecimal digits."""
    found = _SHAPES.get(mesh)
    if found is None:
        faces = f"{mesh.triangles.shape[0]} {_sum_of_rows(mesh.triangles)}"
        digest = hashlib.blake2b(faces.encode(), digest_size=16)
        normals = () if mesh.normals is None else (mesh.normals,)
        sides = () if mesh.sides is None else (mesh.side_of_vertex,)
        found = _SHAPES[mesh] = _named(digest, mesh.positions, *normals, *sides, *mesh.uvs)
    return found


def faces_name(mesh: Mesh) -> str:
    """By the triangles in their order, and their groups. 32 hexadecimal digits."""
    found = _FACES.get(mesh)
    if found is None:
        digest = hashlib.blake2b(repr(mesh.groups).encode(), digest_size=16)
        found = _FACES[mesh] = _named(digest, mesh.triangles)
    return found
