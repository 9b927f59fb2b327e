"""What an artist may wish a mesh to be changed to."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, TypeAdapter

from ashblend.core.brush.fills.height import HeightFill
from ashblend.core.recipe.document import Recipe
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.faces import FacesOf


class _Wish(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class RefineLevels(_Wish):
    kind: Literal["levels"] = "levels"
    levels: Annotated[int, Field(ge=1, le=6)] = 1


class RefineSpacing(_Wish):
    """spacing: metres. inside: only there, or everywhere for None."""

    kind: Literal["spacing"] = "spacing"
    spacing: Annotated[FiniteFloat, Field(gt=1e-5, le=1e4)]
    inside: FacesOf | None = None


Tolerance = Annotated[FiniteFloat, Field(gt=0.001, le=1)]
Finest = Annotated[FiniteFloat, Field(gt=1e-5, le=1e3)]


class ToMask(_Wish):
    """finest: metres; shorter edges are not split. paint_on: put the mask there along with it."""

    tolerance: Tolerance = 0.1
    finest: Finest = 0.01
    paint_on: ChannelAddress | None = None


class RefineToChannel(ToMask):
    """To the mask that a channel on texels holds."""

    kind: Literal["channel"] = "channel"
    wanted: ChannelAddress


class RefineToHeight(ToMask):
    """To a band of heights, worked out at full density."""

    kind: Literal["height"] = "height"
    wanted: HeightFill


class RefineToPicture(ToMask):
    """To the lightness of an uploaded picture that lies on the first UV set."""

    kind: Literal["picture"] = "picture"


class MakeLevel(_Wish):
    """A lower level of detail with about so many triangles. again: in the place of that level."""

    kind: Literal["level"] = "level"
    again: Annotated[int, Field(ge=1, le=6)] | None = None
    triangles: Annotated[int, Field(ge=4, le=10_000_000)]


class AddLevel(_Wish):
    """A lower level of detail from an uploaded file."""

    kind: Literal["level_file"] = "level_file"
    file_name: str


class Replace(_Wish):
    """Another version of the mesh, uploaded; everything painted is carried over."""

    kind: Literal["replacement"] = "replacement"
    file_name: str


class Survey(_Wish):
    """An undercoat whose measures take long; see `MeasureUndercoat`."""

    kind: Literal["survey"] = "survey"
    on: ChannelAddress
    recipe: Recipe | None = None
    layer: str | None = None


class UnwrapWish(_Wish):
    kind: Literal["unwrap"] = "unwrap"


PlanWish = Annotated[
    RefineLevels | RefineSpacing | RefineToChannel | RefineToHeight | MakeLevel | UnwrapWish,
    Field(discriminator="kind"),
]
AnyWish = Annotated[
    RefineLevels
    | RefineSpacing
    | RefineToChannel
    | RefineToHeight
    | RefineToPicture
    | MakeLevel
    | AddLevel
    | Replace
    | UnwrapWish
    | Survey,
    Field(discriminator="kind"),
]
ANY_WISH: TypeAdapter[AnyWish] = TypeAdapter(AnyWish)
