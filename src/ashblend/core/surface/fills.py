"""Working out what a fill changes on an open surface; nothing is written here."""

from collections.abc import Callable
from typing import Annotated, Literal
from uuid import UUID

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from ashblend.core.arrays import U32, Mask
from ashblend.core.brush.fills.copy_channel import MixFill
from ashblend.core.brush.fills.fill import AnyFill, fill_delta
from ashblend.core.brush.fills.protocol import Fill
from ashblend.core.brush.shared_sum import SharedSum
from ashblend.core.brush.stroke import Allow
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.delta import ChannelDelta, changed_between
from ashblend.core.prepare.face_sets import faces_like
from ashblend.core.prepare.groups.grouping import group_mask
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.address import NOTHING, ChannelAddress, FaceChoice, Protection
from ashblend.core.surface.along import along_sites
from ashblend.core.surface.convert import Sets, set_at, values_on
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.protection import allowed
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape

SetDelta = tuple[UUID, ChannelDelta]


class FillOn(BaseModel):
    """A fill of a whole channel, or of chosen faces of it.

    source: the channel mixed in, for the fill "mix". flipped: lower where it would raise, as a flipped
    brush does. preview: show it in this window only.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    type: Literal["fill"] = "fill"
    on: ChannelAddress
    fill: Annotated[AnyFill, Field()]
    source: ChannelAddress | None = None
    faces: FaceChoice | None = None
    protect: Protection = NOTHING
    flipped: bool = False
    preview: bool = False

    @property
    def meant(self) -> AnyFill:
        """The fill as it is to be done."""
        return self.fill.flipped() if self.flipped else self.fill


def sum_of(found: OpenSet, number: int, channels: list[Channel]) -> tuple[SharedSum | None, list[int]]:
    """What makes the other channels of a set give way to one, and which those are, when the set says so.

    channels: of the set, or copies of them. Raises Refusal when none of them can.
    """
    others = [n for n in range(len(channels)) if n != number]
    if not found.document.shared_sum or not others:
        return None, []
    free = [not found.document.channels[n].locked for n in others]
    if not any(free):
        raise Refusal(
            "All other channels of this set are locked, so none can give way.",
            "Unlock one, or let the set's channels be independent.",
        )
    return SharedSum([(n, channels[n]) for n in others], free), others


def border_of(mesh: Mesh, found: OpenSet) -> Callable[[str | None], U32]:
    """Tells the sites of a set on a named group's border, or on open edges for None."""

    def border(group: str | None) -> U32:
        if group is None:
            return found.sites.open_edges()
        return found.sites.border(group_mask(mesh, [group]))

    return border


class Fills:
    """Fills on the sets of a shape."""

    def __init__(self, shape: Shape, sets: Sets) -> None:
        self._shape = shape
        self._sets = sets

    def chosen(self, message: FillOn) -> Mask | None:
        """Triangles (m,) of a message's choice of faces; None for all. Raises Refusal."""
        choice = message.faces
        if choice is None:
            return None
        mesh = self._shape.mesh_of(set_at(self._sets, message.on).level)
        picked = np.array(choice.picked, np.int64)
        if picked.size and int(picked.max()) >= mesh.triangles.shape[0]:
            raise Refusal("There is no such triangle.", "Load the surface again.")
        return faces_like(mesh, picked.astype(np.int32), choice.unit)

    def deltas(self, message: FillOn, faces: Mask | None) -> list[SetDelta]:
        """What a fill changes, in the channel itself and in those that give way to it."""
        found = set_at(self._sets, message.on)
        allow = allowed(self._shape, self._sets, found, message.protect, faces)
        delta = self.delta(found, message.on.channel, message.meant, allow, message.source)
        deltas = [delta]
        if found.document.shared_sum:
            deltas += self._given_way(found, delta)
        return [(found.id, d) for d in deltas]

    def delta(
        self, found: OpenSet, number: int, fill: Fill, allow: Allow | None, source: ChannelAddress | None
    ) -> ChannelDelta:
        """What a fill changes in one channel. Raises Refusal."""
        if isinstance(fill, MixFill) and source is None:
            raise Refusal("No channel is chosen to mix in.", "Choose one.")
        if fill.fills and found.values.name not in fill.fills:
            raise Refusal(f"{found.document.name} holds no weights.", "Choose another fill.")
        mesh = self._shape.mesh_of(found.level)
        try:
            return fill_delta(
                fill,
                number,
                found.channels[number],
                found.sites,
                border=border_of(mesh, found),
                along=along_sites(mesh, found.sites),
                allow=allow,
                source=values_on(found, self._sets, source) if source is not None else None,
            )
        except ValueError as error:
            raise Refusal(str(error), "Choose another fill.") from error

    def _given_way(self, found: OpenSet, delta: ChannelDelta) -> list[ChannelDelta]:
        """What the other channels of a shared sum change by, and the painted one once more if it must."""
        trial = [channel.copy() for channel in found.channels]
        moving, _ = sum_of(found, delta.channel, trial)
        if moving is None:
            return []
        moving.remember(delta.sites)
        painted = trial[delta.channel]
        delta.apply(painted)
        before = painted.copy()
        moving.give_way(painted, delta.sites)
        return [*moving.finish(delta.sites), changed_between(delta.channel, before, painted)]
