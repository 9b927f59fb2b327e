"""Each connected part."""

from typing import Literal

from pydantic import BaseModel, ConfigDict

from ashblend.core.arrays import I32
from ashblend.core.sites.charts import part_of_face
from ashblend.core.sites.mesh import Mesh


class ByPart(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    by: Literal["part"] = "part"

    def labels(self, mesh: Mesh) -> tuple[list[str] | None, I32]:
        return None, part_of_face(mesh)
