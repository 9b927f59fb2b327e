"""The documents that describe a channel set: names, locks, undercoats. The arrays live apart."""

from typing import Annotated, Literal, Self

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from ashblend.core.channels.values.kind import ValueKind
from ashblend.core.channels.values.registry import VALUES
from ashblend.core.channels.values.weights import WEIGHTS
from ashblend.core.recipe.document import Recipe

CHANNEL_LETTERS = "RGBA"


def _known_value(name: str) -> str:
    if name not in VALUES:
        raise ValueError(f"there is no kind of value {name!r}")
    return name


class ConstantUndercoat(BaseModel):
    """The same weight at every site."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["constant"] = "constant"
    value: Annotated[float, Field(ge=0, le=1)] = 0.0


class MadeFrom(BaseModel):
    """What a measured undercoat was worked out from; when it is another now, the undercoat is stale.

    shape: name of the mesh's shape. recipe: digest of the recipe. read: name of what the channels held that it
    reads. lie: how the surface lay, where painting can change that.
    """

    # Once there was the last entry of the journal, which any step anywhere moved on.
    model_config = ConfigDict(frozen=True, extra="ignore")

    # Once it was the number of a revision.
    shape: Annotated[str, BeforeValidator(str), Field(max_length=64)]
    recipe: Annotated[str, Field(max_length=64)]
    read: Annotated[str, Field(max_length=64)] = ""
    lie: Annotated[str, Field(max_length=64)] = ""


class MeasuredUndercoat(BaseModel):
    """Worked out by a recipe and kept as a plane; it can be run again at any time, under the paint.

    made: what it was last worked out from, None before the first time.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["measured"] = "measured"
    recipe: Recipe
    made: MadeFrom | None = None


class CarriedUndercoat(BaseModel):
    """On a lower level of detail: what level 0 holds there, always up to date."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["carried"] = "carried"


class FileUndercoat(BaseModel):
    """As it came in with the file, kept as a plane: of heights that are painted over."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["file"] = "file"


AnyUndercoat = Annotated[
    ConstantUndercoat | MeasuredUndercoat | CarriedUndercoat | FileUndercoat, Field(discriminator="kind")
]


class ChannelDocument(BaseModel):
    """One channel as the artist knows it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Annotated[str, Field(min_length=1, max_length=60)]
    locked: bool = False
    undercoat: AnyUndercoat = ConstantUndercoat()

    @property
    def constant(self) -> float:
        """The undercoat's weight where it is the same everywhere, else nothing."""
        return self.undercoat.value if isinstance(self.undercoat, ConstantUndercoat) else 0.0


class ChannelSetDocument(BaseModel):
    """Up to four channels stored together.

    value: what its channels hold; see `core.channels.values`. bits: how many the set is made for; 8 shows and exports 256
    steps, painting keeps 65 536.
    shared_sum: painting one channel makes the others give way, so that all sum to one. place: where among the sets of its
    level it goes out, so that its attribute means the same in every file; None behind those that have one.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Annotated[str, Field(min_length=1, max_length=60)]
    channels: Annotated[tuple[ChannelDocument, ...], Field(min_length=1, max_length=4)]
    place: Annotated[int, Field(ge=0, le=99)] | None = None
    value: Annotated[str, AfterValidator(_known_value)] = WEIGHTS.name
    bits: Literal[8, 16] = 16
    shared_sum: bool = False

    @model_validator(mode="after")
    def _only_weights_sum(self) -> Self:
        if self.shared_sum and self.value != WEIGHTS.name:
            raise ValueError("only weights can share a sum")
        return self

    @property
    def holds(self) -> ValueKind:
        return VALUES[self.value]
