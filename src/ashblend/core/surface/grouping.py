"""Edits of groups: what a mesh is after them, and what they are called."""

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from ashblend.core.prepare.groups.grouping import Grouping, group_by, group_mask, group_of, merged, renamed
from ashblend.core.prepare.sides import hard_border, soft_border
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.convert import Sets
from ashblend.core.surface.faces import FacesOf, faces_of
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.reshape import on_changed_mesh
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.state import SurfaceState

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]


class _Wish(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class GroupBy(_Wish):
    kind: Literal["by"] = "by"
    grouping: Grouping


class GroupFaces(_Wish):
    kind: Literal["faces"] = "faces"
    name: Name
    faces: FacesOf


class MergeGroups(_Wish):
    kind: Literal["merge"] = "merge"
    groups: Annotated[list[str], Field(min_length=2)]
    name: Name


class RenameGroup(_Wish):
    kind: Literal["rename"] = "rename"
    group: str
    name: Name


class HardBorder(_Wish):
    """on: split the vertices along the groups' border; off: join them again."""

    kind: Literal["hard"] = "hard"
    groups: Annotated[list[str], Field(min_length=1)]
    on: bool


GroupEdit = Annotated[
    GroupBy | GroupFaces | MergeGroups | RenameGroup | HardBorder, Field(discriminator="kind")
]


@dataclass(frozen=True)
class Change:
    """A change of a whole surface. kind, label: for the history."""

    kind: str
    label: str
    mesh: Mesh

    def on(self, state: SurfaceState) -> SurfaceState:
        """The state after it."""
        # No vertex has moved, so levels find their paint where they did.
        return on_changed_mesh(state, self.mesh, (), tuple(level.carry for level in state.levels))


@dataclass(frozen=True)
class BorderChange:
    """A border made hard or soft."""

    kind: str
    label: str
    edit: HardBorder

    def on(self, state: SurfaceState) -> SurfaceState:
        faces = group_mask(state.mesh, self.edit.groups)
        parted = (hard_border if self.edit.on else soft_border)(state.mesh, faces)
        return on_changed_mesh(state, parted.mesh, parted.lineage, borders=True)


def _require_groups(mesh: Mesh, names: list[str]) -> None:
    missing = set(names) - {g.name for g in mesh.groups}
    if missing:
        raise Refusal(f"There is no group {', '.join(sorted(missing))}.", "Look at the list again.")


def _border(mesh: Mesh, edit: HardBorder) -> BorderChange:
    faces = group_mask(mesh, edit.groups)
    parted = (hard_border if edit.on else soft_border)(mesh, faces)
    named = edit.groups[0] if len(edit.groups) == 1 else f"{len(edit.groups)} groups"
    verb = "Hard" if edit.on else "Soft"
    return BorderChange("border", f"{verb} border of {named} ({parted.added:+d} vertices)", edit)


def grouped(shape: Shape, sets: Sets, edit: GroupEdit) -> Change | BorderChange:
    """What an edit of groups does. Raises Refusal."""
    shape.require_mesh()
    mesh = shape.mesh
    match edit:
        case HardBorder():
            _require_groups(mesh, edit.groups)
            return _border(mesh, edit)
        case GroupBy():
            return Change("group", f"Group by {edit.grouping.by}", group_by(mesh, edit.grouping)[0])
        case GroupFaces():
            return Change(
                "group", f"Group {edit.name}", group_of(mesh, edit.name, faces_of(shape, sets, edit.faces))[0]
            )
        case MergeGroups():
            _require_groups(mesh, edit.groups)
            return Change("group", f"Merge into {edit.name}", merged(mesh, edit.groups, edit.name)[0])
        case RenameGroup():
            _require_groups(mesh, [edit.group])
            if edit.name in {g.name for g in mesh.groups} - {edit.group}:
                raise Refusal(f"There is a group {edit.name} already.", "Choose another name.")
            label = f"Rename {edit.group} to {edit.name}"
            return Change("group", label, renamed(mesh, edit.group, edit.name))
