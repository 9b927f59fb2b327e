"""The weight that a channel holds."""

from typing import Annotated, ClassVar, Literal
from uuid import UUID

from pydantic import Field

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.setting import Setting


class ChannelSource(SourceDocument):
    title: ClassVar[str] = "Channel"
    about: ClassVar[str] = "What is painted, with its undercoat"
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(title="Channel of the term", about="The channel whose weights it takes", pick="own channel"),
    )

    kind: Literal["channel"] = "channel"
    channel_set: UUID
    channel: Annotated[int, Field(ge=0, le=3)]


def lower_channel(source: ChannelSource, _: str, at: Lowering) -> SourceValue:
    return SourceValue(at.channel(source.channel_set, source.channel), whole=True)
