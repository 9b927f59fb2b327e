"""The documents that describe a channel set: names, locks, undercoats. The arrays live apart."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

CHANNEL_LETTERS = "RGBA"


class ConstantUndercoat(BaseModel):
    """The same weight at every site."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["constant"] = "constant"
    value: Annotated[float, Field(ge=0, le=1)] = 0.0


class ChannelDocument(BaseModel):
    """One channel as the artist knows it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Annotated[str, Field(min_length=1, max_length=60)]
    locked: bool = False
    undercoat: ConstantUndercoat = ConstantUndercoat()


class ChannelSetDocument(BaseModel):
    """Up to four channels stored together.

    bits: how many the set is made for; 8 shows and exports 256 steps, painting keeps 65 536.
    shared_sum: painting one channel makes the others give way, so that all sum to one.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Annotated[str, Field(min_length=1, max_length=60)]
    channels: Annotated[tuple[ChannelDocument, ...], Field(min_length=1, max_length=4)]
    bits: Literal[8, 16] = 16
    shared_sum: bool = False
