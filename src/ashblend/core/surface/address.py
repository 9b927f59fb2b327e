"""How steps say what they are about."""

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from ashblend.core.prepare.face_sets import Unit


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class ChannelAddress(_Part):
    channel_set: UUID
    channel: Annotated[int, Field(ge=0, le=3)]


class Protection(_Part):
    """What must not change: groups by name, and what a channel marks, or leaves unmarked if inverted.

    parts: triangles of level 0 that were picked; the connected parts that they belong to are protected.
    """

    groups: Annotated[tuple[str, ...], Field(max_length=256)] = ()
    mask: ChannelAddress | None = None
    inverted: bool = False
    parts: Annotated[tuple[Annotated[int, Field(ge=0)], ...], Field(max_length=4096)] = ()


NOTHING = Protection()


class FaceChoice(_Part):
    """Whole faces: those a unit takes in around picked triangles.

    hard: give them a hard border first, so that nothing fades into their neighbours.
    """

    unit: Unit
    picked: Annotated[list[Annotated[int, Field(ge=0)]], Field(max_length=200_000)]
    hard: bool = False
