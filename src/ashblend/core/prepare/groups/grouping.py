"""Faces sorted into groups, by any way. A new one is one new file and one line in the union."""

from collections.abc import Callable
from dataclasses import replace
from typing import Annotated

import numpy as np
from pydantic import Field

from ashblend.core.arrays import I32, Mask
from ashblend.core.prepare.groups.by_crease import ByCrease
from ashblend.core.prepare.groups.by_facing import ByFacing
from ashblend.core.prepare.groups.by_part import ByPart
from ashblend.core.sites.mesh import Group, Mesh

Grouping = Annotated[ByPart | ByCrease | ByFacing, Field(discriminator="by")]
MOST_GROUPS = 64


def regrouped(mesh: Mesh, names: list[str], group_of_face: I32) -> tuple[Mesh, I32]:
    """The mesh with its triangles sorted into named groups, and where each triangle came from (m,).

    Empty groups are dropped.
    """
    order = np.argsort(group_of_face, kind="stable").astype(np.int32)
    counts = np.bincount(group_of_face, minlength=len(names))
    groups, first = [], 0
    for name, count in zip(names, counts, strict=True):
        if count:
            groups.append(Group(name, first, int(count)))
            first += int(count)
    return (
        replace(
            mesh,
            triangles=mesh.triangles[order],
            groups=tuple(groups),
            sides=mesh.sides[order] if mesh.sides is not None else None,
        ),
        order,
    )


def _by_size(names: Callable[[int], str], labels: I32) -> tuple[list[str], I32]:
    """Number labels from the largest on; what is beyond MOST_GROUPS goes into the last."""
    counts = np.bincount(labels)
    rank = np.empty_like(counts)
    rank[np.argsort(-counts, kind="stable")] = np.arange(counts.shape[0])
    numbered = np.minimum(rank[labels], MOST_GROUPS - 1).astype(np.int32)
    count = int(numbered.max(initial=0)) + 1
    found = [names(i) for i in range(count)]
    if counts.shape[0] > MOST_GROUPS:
        found[-1] = "Small parts"
    return found, numbered


def group_by(mesh: Mesh, grouping: ByPart | ByCrease | ByFacing) -> tuple[Mesh, I32]:
    """Group all faces anew; the mesh, and where each triangle came from (m,)."""
    named, labels = grouping.labels(mesh)
    if named is not None:
        return regrouped(mesh, named, labels)
    return regrouped(mesh, *_by_size(lambda i: f"Part {i + 1}", labels))


def group_of(mesh: Mesh, name: str, faces: Mask) -> tuple[Mesh, I32]:
    """Chosen triangles (m,) taken out of their groups into one of their own."""
    names = [g.name for g in mesh.groups]
    labels = mesh.group_of_face.copy()
    if name not in names:
        names.append(name)
    labels[faces] = names.index(name)
    return regrouped(mesh, names, labels)


def merged(mesh: Mesh, merge: list[str], name: str) -> tuple[Mesh, I32]:
    """Several groups as one, called name, in the place of the first of them."""
    names = [g.name for g in mesh.groups]
    numbers = sorted(names.index(n) for n in merge)
    labels = mesh.group_of_face.copy()
    labels[np.isin(labels, numbers)] = numbers[0]
    names[numbers[0]] = name
    return regrouped(mesh, names, labels)


def renamed(mesh: Mesh, old: str, new: str) -> Mesh:
    """A group under another name."""
    return replace(
        mesh,
        groups=tuple(Group(new if g.name == old else g.name, g.first, g.count) for g in mesh.groups),
    )


def group_mask(mesh: Mesh, names: list[str]) -> Mask:
    """(m,) the triangles of named groups."""
    numbers = [i for i, g in enumerate(mesh.groups) if g.name in names]
    return np.isin(mesh.group_of_face, numbers)
