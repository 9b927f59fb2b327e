"""All kinds of sites that a channel set may lie on. A new one is one new file and one line in the union.

A kind is what the set's document says, and all that depends on it; elsewhere nobody asks which it is.
"""

from typing import Annotated

from pydantic import Field, TypeAdapter

from ashblend.core.surface.kinds.cells import CellSites
from ashblend.core.surface.kinds.corners import CornerSites
from ashblend.core.surface.kinds.texels import TexelSites
from ashblend.core.surface.kinds.vertices import VertexSites

SiteKind = Annotated[VertexSites | TexelSites | CellSites | CornerSites, Field(discriminator="kind")]
SITE_KIND: TypeAdapter[SiteKind] = TypeAdapter(SiteKind)
