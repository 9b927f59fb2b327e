"""A coarse stand-in of a large body, to be measured in a moment: vertices of one small box that look about the same way
become one.

Source: Rossignac and Borrel (1993), "Multi-resolution 3D approximations for rendering complex scenes". Sides that face
away from each other stay apart by the octant that their normals point into; all vertices of a box stay at one place, so
that nothing comes apart at a fold. Tried: four rays from every site of the whole, which at a million waits six seconds
for Embree's scene.
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, F64, I64
from ashblend.core.sites.mesh import Group, Mesh
from ashblend.core.survey.body import Body

# Boxes along the longest way through the body.
BOXES = 200


@dataclass(frozen=True)
class Coarse:
    """body: of a mesh of its own. of_site: (k,) its vertex for each site of the whole, in the order of `all_sites`."""

    body: Body
    of_site: I64

    def on_whole(self, whole: Body, values: F32) -> F32:
        """Values by vertex of the coarse body, by numbers of sites of the whole."""
        return whole.on_all(values[self.of_site])


def _means(of: I64, count: int, values: F32) -> F64:
    held = np.bincount(of, minlength=count)
    sums = [np.bincount(of, weights=values[:, axis], minlength=count) for axis in range(3)]
    return np.stack(sums, axis=1) / np.maximum(held, 1)[:, None]


def coarse(whole: Body) -> Coarse:
    """For sites that are the vertices of the body's mesh."""
    at, normals = whole.positions, whole.normals
    box = np.floor(at / np.float32(whole.size / BOXES)).astype(np.int64) + 2 * BOXES
    place = (box[:, 0] * (4 * BOXES + 1) + box[:, 1]) * (4 * BOXES + 1) + box[:, 2]
    octant = (normals > 0) @ np.array([1, 2, 4], np.int64)
    keys, first, of_site = np.unique(place * 8 + octant, return_index=True, return_inverse=True)
    _, of_box = np.unique(keys // 8, return_inverse=True)
    places = _means(of_box[of_site], int(of_box.max(initial=0)) + 1, at)[of_box]
    towards = _means(of_site, keys.shape[0], normals)
    length = np.linalg.norm(towards, axis=1, keepdims=True)
    # Where they cancel out, one of them.
    towards = np.where(length > 1e-6, towards / np.maximum(length, 1e-6), normals[first])
    corners = of_site[whole.mesh.triangles]
    a, b, c = of_box[corners].T
    left = (a != b) & (b != c) & (c != a)
    groups = whole.mesh.group_of_face[left]
    _, once = np.unique(np.sort(corners[left], axis=1), axis=0, return_index=True)
    once = once[np.argsort(groups[once], kind="stable")]
    counts = np.bincount(groups[once], minlength=len(whole.mesh.groups))
    begun = np.concatenate([[0], np.cumsum(counts)])
    named = zip(whole.mesh.groups, begun[:-1], counts, strict=True)
    mesh = Mesh(
        (places + whole.middle).astype(np.float32),
        corners[left][once].astype(np.uint32),
        normals=towards.astype(np.float32),
        groups=tuple(Group(group.name, int(first), int(count)) for group, first, count in named),
    )
    return Coarse(whole.with_mesh(mesh), of_site)
