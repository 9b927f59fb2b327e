"""Working out what a fill changes on an open surface; nothing is written here."""

from collections.abc import Mapping
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32, F64, I32, Mask
from ashblend.core.brush import SharedSum
from ashblend.core.brush.fills import Fill, FillView, MixFill, fill_delta
from ashblend.core.channels import Channel, ChannelDelta, changed_between
from ashblend.core.prepare.borders import allowed, border_points, open_edge_points, sites_of_faces
from ashblend.core.prepare.convert import texels_to_vertices, vertices_to_texels
from ashblend.core.prepare.face_sets import faces_like
from ashblend.core.prepare.groups import group_mask
from ashblend.core.sites import UVTexels
from ashblend.server.live.messages import ChannelAddress, FillOn, Protection
from ashblend.server.live.open_set import OpenSet
from ashblend.server.live.open_shape import OpenShape
from ashblend.server.live.refusal import Refusal
from ashblend.store.planes import SetDelta


def shared_sum(found: OpenSet, number: int) -> tuple[SharedSum | None, list[int]]:
    """What makes the channels of a set give way to one, and which those are, when the set says so.

    Raises Refusal when none of them can.
    """
    others = [n for n in range(len(found.channels)) if n != number]
    if not found.document.shared_sum or not others:
        return None, []
    return _sum_of(found, others, [found.channels[n] for n in others]), others


def _sum_of(found: OpenSet, others: list[int], channels: list[Channel]) -> SharedSum:
    free = [not found.document.channels[n].locked for n in others]
    if not any(free):
        raise Refusal(
            "All other channels of this set are locked, so none can give way.",
            "Unlock one, or let the set's channels be independent.",
        )
    return SharedSum(list(zip(others, channels, strict=True)), free)


def _copy(channel: Channel) -> Channel:
    return Channel(channel.cover.copy(), channel.paint.copy(), channel.undercoat)


class Fills:
    """Fills on the sets of a shape."""

    def __init__(self, shape: OpenShape, sets: Mapping[UUID, OpenSet]) -> None:
        self._shape = shape
        self._sets = sets

    def chosen(self, message: FillOn) -> Mask | None:
        """Triangles (m,) of a message's choice of faces; None for all. Raises Refusal."""
        choice = message.faces
        if choice is None:
            return None
        mesh = self._shape.mesh_of(self._set(message.on).level)
        picked = np.array(choice.picked, np.int64)
        if picked.size and int(picked.max()) >= mesh.triangles.shape[0]:
            raise Refusal("There is no such triangle.", "Load the surface again.")
        return faces_like(mesh, picked.astype(np.int32), choice.unit)

    def allow(self, found: OpenSet, protect: Protection, faces: Mask | None) -> F32 | None:
        """How far each site of a set may be changed, or None for all of them fully."""
        mesh = self._shape.mesh_of(found.level)
        protected = within = mask = None
        missing = set(protect.groups) - {g.name for g in mesh.groups}
        if missing and found.level == 0:
            # Painting on as if nothing were protected would be the worse surprise.
            raise Refusal(
                f"There is no group {', '.join(sorted(missing))} to protect.", "Choose the groups again."
            )
        if protect.groups:
            # A vertex between a protected face and a free one is protected: else the border would bleed.
            protected = sites_of_faces(mesh, found.sites, group_mask(mesh, list(protect.groups)))
        if faces is not None:
            within = sites_of_faces(mesh, found.sites, faces)
        if protect.mask is not None:
            held = self.values_on(found, protect.mask).astype(np.float32)
            mask = 1 - held if protect.inverted else held
        return allowed((found.sites.count,), protected, within, mask)

    def deltas(self, message: FillOn, faces: Mask | None) -> list[SetDelta]:
        """What a fill changes, in the channel itself and in those that give way to it."""
        found = self._set(message.on)
        allow = self.allow(found, message.protect, faces)
        deltas = [self.delta(found, message.on.channel, message.fill, allow, message.source)]
        if found.document.shared_sum:
            deltas += self._given_way(found, deltas[0])
        return [(found.id, delta) for delta in deltas]

    def delta(
        self, found: OpenSet, number: int, fill: Fill, allow: F32 | None, source: ChannelAddress | None
    ) -> ChannelDelta:
        """What a fill changes in one channel. Raises Refusal."""
        mesh = self._shape.mesh_of(found.level)

        def border(group: str | None) -> I32:
            if group is None:
                return open_edge_points(mesh, found.sites)
            return border_points(mesh, found.sites, group_mask(mesh, [group]))

        if isinstance(fill, MixFill) and source is None:
            raise Refusal("No channel is chosen to mix in.", "Choose one.")
        other = self.values_on(found, source) if source is not None else None
        view = FillView(found.sites, found.weights(number), border, other)
        try:
            return fill_delta(fill, number, found.channels[number], view, allow)
        except ValueError as error:
            raise Refusal(str(error), "Choose another fill.") from error

    def _given_way(self, found: OpenSet, delta: ChannelDelta) -> list[ChannelDelta]:
        """What the other channels of a shared sum change by, and the painted one once more if it must."""
        others = [n for n in range(len(found.channels)) if n != delta.channel]
        if not others:
            return []
        moving = _sum_of(found, others, [_copy(found.channels[n]) for n in others])
        moving.remember(delta.sites)
        trial = _copy(found.channels[delta.channel])
        delta.apply(trial)
        before = _copy(trial)
        moving.give_way(trial, delta.sites)
        return [*moving.finish(delta.sites), changed_between(delta.channel, before, trial)]

    def values_on(self, found: OpenSet, source: ChannelAddress) -> F64:
        """Another channel's weights on the sites of a set. Raises Refusal."""
        other = self._set(source)
        values = other.weights(source.channel)
        if other.sites is found.sites:
            return values
        if other.level != found.level and not isinstance(found.sites, UVTexels):
            raise Refusal(
                "The two channels lie on different levels of detail.", "Choose a channel of the same level."
            )
        if isinstance(other.sites, UVTexels):
            values = texels_to_vertices(values, other.sites, self._shape.mesh)
        if isinstance(found.sites, UVTexels):
            values = vertices_to_texels(values, found.sites)
        return values

    def _set(self, on: ChannelAddress) -> OpenSet:
        found = self._sets.get(on.channel_set)
        if found is None or on.channel >= len(found.channels):
            raise Refusal("This channel is not on this surface.", "Load the surface again.")
        return found
