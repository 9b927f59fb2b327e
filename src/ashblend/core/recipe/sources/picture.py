"""A picture laid over the surface by a UV set."""

from typing import Annotated, ClassVar, Literal
from uuid import UUID

from pydantic import Field

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue


class PictureSource(SourceDocument):
    """picture: one of the project's. uv: which UV set lays it; beyond 0..1 it repeats."""

    title: ClassVar[str] = "Picture"
    about: ClassVar[str] = "A grey picture over a UV set: a mask that was made elsewhere"
    placed: ClassVar[bool] = True

    kind: Literal["picture"] = "picture"
    picture: UUID
    uv: Annotated[int, Field(ge=0, le=7)] = 0


def lower_picture(source: PictureSource, path: str, at: Lowering) -> SourceValue:
    return SourceValue(at.picture(source.picture, source.uv, f"{path}/picture"), whole=True)
