"""What faces up, down and to the sides."""

from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.arrays import I32
from ashblend.core.sites.closest import unit_normals
from ashblend.core.sites.mesh import Mesh

NAMES = ["Facing up", "Facing sideways", "Facing down"]


class ByFacing(BaseModel):
    """angle: degrees from straight up or down within which a face counts as that."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    by: Literal["facing"] = "facing"
    angle: Annotated[FiniteFloat, Field(ge=1, le=89)] = 45.0

    def labels(self, mesh: Mesh) -> tuple[list[str] | None, I32]:
        up = unit_normals(mesh.positions, mesh.triangles.astype(np.int32))[:, 1]
        least = np.cos(np.radians(self.angle))
        return NAMES, np.where(up >= least, 0, np.where(up <= -least, 2, 1)).astype(np.int32)
