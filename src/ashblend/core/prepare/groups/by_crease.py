"""Smooth pieces, parted by sharp edges."""

from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.arrays import I32
from ashblend.core.sites.charts import connected
from ashblend.core.sites.closest import unit_normals
from ashblend.core.sites.edges import place_edges
from ashblend.core.sites.mesh import Mesh


class ByCrease(BaseModel):
    """angle: degrees between the faces at an edge from which it parts them."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    by: Literal["crease"] = "crease"
    angle: Annotated[FiniteFloat, Field(ge=1, le=179)] = 40.0

    def labels(self, mesh: Mesh) -> tuple[list[str] | None, I32]:
        edges = place_edges(mesh)
        normals = unit_normals(mesh.positions, mesh.triangles.astype(np.int32))
        a, b = edges.faces[:, 0], edges.faces[:, 1]
        flat = np.einsum("ij,ij->i", normals[a], normals[b]) > np.cos(np.radians(self.angle))
        return None, connected(edges, flat & (edges.uses == 2))
