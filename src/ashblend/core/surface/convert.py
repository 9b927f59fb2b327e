"""Values of one set at places of another: whatever kinds of sites the two have."""

from collections.abc import Callable, Mapping
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F64, U32
from ashblend.core.channels.channel import Channel, covered_by
from ashblend.core.channels.values.weights import WEIGHTS
from ashblend.core.sites.patch import Places
from ashblend.core.sites.protocol import Sites
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal

Sets = Mapping[UUID, OpenSet]


def set_at(sets: Sets, on: ChannelAddress) -> OpenSet:
    """Raises Refusal."""
    found = sets.get(on.channel_set)
    if found is None or on.channel >= len(found.channels):
        raise Refusal("This channel is not on this surface.", "Load the surface again.")
    return found


def four_weights_at(found: OpenSet, places: Places) -> F64:
    """(k, 4) what a set shows at places of the mesh."""
    sample = found.sites.sample(places)
    held = found.four_weights(sample.sites.reshape(-1)).reshape(*sample.sites.shape, 4)
    return np.einsum("ij,ijk->ik", sample.shares, held)


def values_on(found: OpenSet, sets: Sets, source: ChannelAddress) -> Callable[[U32], F64]:
    """Tells another channel's weights at sites of a set. Raises Refusal."""
    other = set_at(sets, source)
    if other.values is not WEIGHTS:
        raise Refusal(f"{other.document.name} holds no weights.", "Choose a channel of another set.")
    if other.sites is found.sites:
        return lambda sites: other.weights(source.channel, sites)
    if other.level != found.level and not (
        other.kind.shown_on(found.level) or found.kind.shown_on(other.level)
    ):
        raise Refusal(
            "The two channels lie on different levels of detail.", "Choose a channel of the same level."
        )

    def at(sites: U32) -> F64:
        sample = other.sites.sample(found.sites.on_surface(sites))
        held = other.weights(source.channel, sample.sites.reshape(-1)).reshape(sample.sites.shape)
        return (held * sample.shares).sum(axis=1)

    return at


def converted(source: OpenSet, sets: Sets, target: OpenSet) -> tuple[Channel, ...]:
    """The channels of a set as they would lie on the sites of another."""
    if source.sites is target.sites:
        return source.state().channels
    return tuple(_converted(source.sites, channel, target.sites) for channel in source.channels)


def _converted(source: Sites, channel: Channel, target: Sites) -> Channel:
    values = channel.kind.zeros(target.layout.extent)
    for tile in range(target.layout.tiles):
        here = target.in_tile(tile)
        if here.size:
            sample = source.sample(target.on_surface(here))
            held = channel.values(sample.sites.reshape(-1))
            values[here] = channel.kind.mixed(
                held.reshape(*sample.sites.shape, *held.shape[1:]), sample.shares
            )
    return covered_by(values, channel.kind)
