"""How steps say what they are about."""

from typing import Annotated, Self
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, model_validator

from ashblend.core.prepare.face_sets import Unit


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class ChannelAddress(_Part):
    channel_set: UUID
    channel: Annotated[int, Field(ge=0, le=3)]


class Limit(_Part):
    """Between which values things may change, and over how much more it fades out;"""

    low: Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]
    high: Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]
    soft: Annotated[FiniteFloat, Field(ge=0, le=1e6)] = 0.0

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.low > self.high:
            raise ValueError("a limit's low end lies above its high end")
        return self


class Protection(_Part):
    """What must not change: groups by name, and what a channel marks, or leaves unmarked if inverted.

    parts: triangles of level 0 that were picked; the connected parts that they belong to are protected.
    height, slope: only between such heights (metres) and slopes (degrees) things change.
    """

    groups: Annotated[tuple[str, ...], Field(max_length=256)] = ()
    mask: ChannelAddress | None = None
    inverted: bool = False
    parts: Annotated[tuple[Annotated[int, Field(ge=0)], ...], Field(max_length=4096)] = ()
    height: Limit | None = None
    slope: Limit | None = None


NOTHING = Protection()


class FaceChoice(_Part):
    """Whole faces: those a unit takes in around picked triangles.

    hard: give them a hard border first, so that nothing fades into their neighbours.
    """

    unit: Unit
    picked: Annotated[list[Annotated[int, Field(ge=0)]], Field(max_length=200_000)]
    hard: bool = False
