"""Triangles that an artist has chosen, by group, by picking, or by where a channel is painted."""

from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from ashblend.core.arrays import Mask
from ashblend.core.prepare.face_sets import Unit, faces_like
from ashblend.core.prepare.groups.grouping import group_mask
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.convert import Sets, set_at
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape


class FacesOf(BaseModel):
    """Triangles: of groups, those a unit takes in around picked ones, or where a channel is painted."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    groups: list[str] = []
    picked: Annotated[list[Annotated[int, Field(ge=0)]], Field(max_length=500_000)] = []
    unit: Unit = "face"
    painted: ChannelAddress | None = None


def faces_of(shape: Shape, sets: Sets, chosen: FacesOf) -> Mask:
    """(m,) of the mesh. Raises Refusal when there are none."""
    mesh = shape.mesh
    faces: Mask = np.zeros(mesh.triangles.shape[0], bool)
    if chosen.picked:
        picked = np.array(chosen.picked, np.int64)
        if int(picked.max()) >= faces.shape[0]:
            raise Refusal("There is no such triangle.", "Load the surface again.")
        faces |= faces_like(mesh, picked.astype(np.int32), chosen.unit)
    if chosen.groups:
        faces |= group_mask(mesh, chosen.groups)
    if chosen.painted is not None:
        found = set_at(sets, chosen.painted)
        for tile in range(found.sites.layout.tiles):
            here = found.sites.in_tile(tile)
            painted = here[found.channels[chosen.painted.channel].values(here) > 0]
            if painted.size:
                faces |= found.sites.faces_of(painted)
    if not faces.any():
        raise Refusal("No faces are chosen.", "Pick a group or faces, or paint where to refine.")
    return faces
