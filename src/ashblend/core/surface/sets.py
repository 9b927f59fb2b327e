"""Adding and removing channel sets and levels."""

from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Literal
from uuid import UUID, uuid4

from pydantic import BaseModel, ConfigDict, Field

from ashblend.core.channels.channel import Channel, empty_channel
from ashblend.core.channels.values.weights import WEIGHTS
from ashblend.core.sets.document import CHANNEL_LETTERS, ChannelDocument, ChannelSetDocument
from ashblend.core.surface.convert import Sets, converted
from ashblend.core.surface.grouping import Name
from ashblend.core.surface.kinds.registry import SiteKind
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.state import SetState, SurfaceState, follower

MOST_SETS = 8

StateChange = Callable[[SurfaceState], SurfaceState]


class NewSet(BaseModel):
    """copy_of: start with the values of another set, converted where the sites differ."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name
    sites: SiteKind
    bits: Literal[8, 16] = 16
    channels: Annotated[int, Field(ge=1, le=4)] = 4
    copy_of: UUID | None = None


def added_set(shape: Shape, sets: Sets, new: NewSet) -> tuple[str, StateChange, str]:
    """Label, change, and what the artist should know about it. Raises Refusal."""
    if len([s for s in sets.values() if s.follows is None]) >= MOST_SETS:
        raise Refusal(f"A surface has at most {MOST_SETS} channel sets.", "Remove one first.")
    new.sites.require_addable(shape)
    source = sets.get(new.copy_of) if new.copy_of is not None else None
    if new.copy_of is not None and source is None:
        raise Refusal("The set to copy is not on this surface.", "Load the surface again.")
    names = [ChannelDocument(name=f"Channel {letter}") for letter in CHANNEL_LETTERS[: new.channels]]
    if source is not None:
        names = [ChannelDocument(name=c.name) for c in source.document.channels]
    value = WEIGHTS.name if source is None else source.document.value
    document = ChannelSetDocument(name=new.name, channels=tuple(names), bits=new.bits, value=value)
    try:
        sites = new.sites.sites(shape)
    except ValueError as error:
        raise Refusal(str(error), "Unwrap the mesh anew, in Prepare.") from error
    ident = uuid4()
    empty = [empty_channel(sites.layout.extent, kind=document.holds) for _ in names]
    channels: tuple[Channel, ...] = tuple(empty)
    if source is not None:
        channels = converted(source, sets, OpenSet(ident, new.sites, document, 0, empty, sites))

    def change(state: SurfaceState) -> SurfaceState:
        entry = SetState(ident, new.sites, document, channels)
        followers = []
        if new.sites.followed:
            followers = [follower(entry, number, level) for number, level in enumerate(state.levels, 1)]
        return replace(state, sets=(*state.sets, entry, *followers))

    return f"Add {new.name}", change, new.sites.note(shape)


def removed_set(sets: Sets, channel_set: UUID) -> tuple[str, StateChange]:
    """Raises Refusal."""
    found = sets.get(channel_set)
    if found is None:
        raise Refusal("This channel set is not on this surface.", "Load the surface again.")
    if not found.kind.removable:
        raise Refusal("The surface is made of this set.", "Remove another one.")
    if found.follows is not None:
        raise Refusal("Sets of lower levels follow those of level 0.", "Remove the set there.")
    if len([s for s in sets.values() if s.follows is None and s.kind.removable]) == 1:
        raise Refusal("A surface keeps one channel set at least.", "Add another one first.")
    gone = {channel_set, *(s.id for s in sets.values() if s.follows == channel_set)}
    return (
        f"Remove {found.document.name}",
        lambda state: replace(state, sets=tuple(s for s in state.sets if s.id not in gone)),
    )


def removed_level(shape: Shape) -> tuple[str, StateChange]:
    """The lowest level. Raises Refusal."""
    number = len(shape.levels)
    if number == 0:
        raise Refusal("There is no lower level.", "Make one first.")
    return (
        f"Remove level {number}",
        lambda state: SurfaceState(
            state.mesh,
            state.levels[:-1],
            tuple(s for s in state.sets if s.sites.level != number),
        ),
    )
