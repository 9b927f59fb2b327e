"""The mask of a layer."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field


class ChannelMask(BaseModel):
    """The weight that one painted channel holds."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["channel"] = "channel"
    channel_set: UUID
    channel: Annotated[int, Field(ge=0, le=3)]
