"""Which places lie on the faces of a group."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ashblend.core.arrays import F32, Mask
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.survey.body import Body
from ashblend.core.survey.protocol import MeasureDocument, measure

GroupName = Annotated[str, Field(max_length=200)]
NO_GROUP = "Pick a group."


def group_setting(only: tuple[str, tuple[str, ...]] | None = None) -> Setting:
    return Setting(key="group", title="Group", about="Faces, as Prepare groups them", pick="group", only=only)


def faces_of_group(body: Body, name: str) -> Mask:
    """(m,) Raises ValueError where there is no such group."""
    names = [group.name for group in body.mesh.groups]
    if name not in names:
        raise ValueError(f"There is no group “{name}” on this surface.")
    return np.asarray(body.mesh.group_of_face == names.index(name))


class InsideMeasure(MeasureDocument):
    """group: name of the group."""

    title: ClassVar[str] = "Inside a group"
    about: ClassVar[str] = "1 on the faces of a group, 0 elsewhere"
    ends: ClassVar[tuple[float, float]] = (0.0, 1.0)
    settings: ClassVar[tuple[Setting, ...]] = (group_setting(),)

    kind: Literal["inside"] = "inside"
    group: GroupName = ""

    @property
    def by_faces(self) -> bool:
        return True

    @property
    def lacks(self) -> str:
        return "" if self.group else NO_GROUP


def _on(body: Body, wanted: InsideMeasure, _: Progress) -> F32:
    inside = body.sites.on_faces(faces_of_group(body, wanted.group))
    return body.on_all(inside(body.all_sites).astype(np.float32))


INSIDE = measure(InsideMeasure, on=_on)
