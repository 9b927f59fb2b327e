"""A picture laid over the surface by a UV set."""

from typing import Annotated, ClassVar, Literal
from uuid import UUID

from pydantic import Field

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.setting import Setting


class PictureSource(SourceDocument):
    """picture: one of the project's. uv: which UV set lays it; beyond 0..1 it repeats."""

    title: ClassVar[str] = "Picture"
    about: ClassVar[str] = "A grey picture over a UV set: a mask that was made elsewhere"
    placed: ClassVar[bool] = True
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="picture",
            title="Picture of the term",
            about="How light it is: 0 black, 1 white. The brush's stencils are the same pictures",
            pick="picture",
        ),
        Setting(key="uv", title="UV set of the picture", about="Lays the picture", pick="uv"),
    )

    kind: Literal["picture"] = "picture"
    picture: UUID
    uv: Annotated[int, Field(ge=0, le=7)] = 0


def lower_picture(source: PictureSource, path: str, at: Lowering) -> SourceValue:
    return SourceValue(at.picture(source.picture, source.uv, f"{path}/picture"), whole=True)
