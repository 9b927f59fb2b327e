"""Which sites of a surface a channel set lies on, as its document says."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field


class VertexSites(BaseModel):
    """Vertices of a level of detail. follows: on a lower level, the set of level 0 it is carried from."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["vertices"] = "vertices"
    level: Annotated[int, Field(ge=0, le=15)] = 0
    follows: UUID | None = None


class TexelSites(BaseModel):
    """Texels of the first UV set, size × size."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["texels"] = "texels"
    size: Literal[256, 512, 1024, 2048, 4096] = 1024


SiteKind = Annotated[VertexSites | TexelSites, Field(discriminator="kind")]


def level_of(kind: VertexSites | TexelSites) -> int:
    return kind.level if isinstance(kind, VertexSites) else 0
