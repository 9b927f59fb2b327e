"""Which sites of a surface a channel set lies on: one file and one line in the union for each kind.

A kind is what the set's document says, and all that depends on it; elsewhere nobody asks which it is.
"""

from typing import Annotated

from pydantic import Field, TypeAdapter

from ashblend.core.surface.kinds.cells import CellSites
from ashblend.core.surface.kinds.corners import CornerSites
from ashblend.core.surface.kinds.protocol import MeshChange
from ashblend.core.surface.kinds.texels import TexelSites
from ashblend.core.surface.kinds.vertices import VertexSites

SiteKind = Annotated[VertexSites | TexelSites | CellSites | CornerSites, Field(discriminator="kind")]
SITE_KIND: TypeAdapter[SiteKind] = TypeAdapter(SiteKind)

__all__ = ["SITE_KIND", "CellSites", "CornerSites", "MeshChange", "SiteKind", "TexelSites", "VertexSites"]
