"""Undercoats that are worked out by a recipe: run, run again, and known as stale."""

import hashlib
from collections.abc import Mapping
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F64, U16, U32
from ashblend.core.channels import ChannelDelta, MadeFrom, MeasuredUndercoat, quantise, undercoat_delta
from ashblend.core.emit import flatten, parameter_values, play
from ashblend.core.recipe import Recipe, lower_recipe
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.sites import windows
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.convert import Sets, set_at, values_on
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape


def digest(recipe: Recipe) -> str:
    """Short name of a recipe's contents. What is as at first is left out: settings that come later change no name."""
    return hashlib.sha256(recipe.model_dump_json(exclude_defaults=True).encode()).hexdigest()[:16]


def channels_read(recipe: Recipe) -> list[ChannelAddress]:
    """Channels that a recipe reads."""
    return [
        ChannelAddress(channel_set=term.source.channel_set, channel=term.source.channel)
        for term in recipe.terms
        if term.on and term.source.kind == "channel"
    ]


def stale(undercoat: MeasuredUndercoat, shape: Shape, entry: int) -> bool:
    """Whether an undercoat would come out another now. entry: the last of the journal."""
    made = undercoat.made
    if made is None or made.shape != shape.number or made.recipe != digest(undercoat.recipe):
        return True
    return bool(channels_read(undercoat.recipe)) and made.entry != entry


def made_from(recipe: Recipe, shape: Shape, entry: int) -> MadeFrom:
    return MadeFrom(shape=shape.number, recipe=digest(recipe), entry=entry)


class _Streams:
    """What a recipe may read at the sites of a set, window by window."""

    def __init__(self, shape: Shape, sets: Sets, found: OpenSet, channel_sets: list[UUID]) -> None:
        self._origin = shape.inputs(found.level).origin
        self._weights = [
            [
                values_on(found, sets, ChannelAddress(channel_set=ident, channel=number))
                for number in range(len(set_at(sets, ChannelAddress(channel_set=ident, channel=0)).channels))
            ]
            for ident in channel_sets
        ]

    def at(self, sites: U32, positions: F64, normals: F64) -> Mapping[str, F64]:
        out: dict[str, F64] = {"position": positions - self._origin, "normal": normals}
        for number, reads in enumerate(self._weights):
            held = np.zeros((sites.shape[0], 4))
            for channel, read in enumerate(reads):
                held[:, channel] = read(sites)
            out[f"weights{number}"] = held
        return out


def measured(
    shape: Shape, sets: Sets, found: OpenSet, recipe: Recipe, own: int | None = None
) -> tuple[U32, U16]:
    """The recipe's values at all sites of a set: sites (k,) ascending and steps (k,).

    own: number of the channel that it is for, which it may not read. Raises Refusal.
    """
    if any(a.channel_set == found.id and a.channel == own for a in channels_read(recipe)):
        raise Refusal("A channel's undercoat cannot be made from itself.", "Choose another channel.")
    lowering = Lowering()
    outputs = {"mask": lower_recipe(recipe, "/recipe", lowering)}
    tape = flatten(outputs)
    document = {"recipe": recipe.model_dump(mode="json")}
    parameters = parameter_values(outputs, document, shape.inputs(found.level).facts)
    streams = _Streams(shape, sets, found, lowering.channel_sets)
    sites, values = [], []
    for window in windows(found.sites):
        inputs = streams.at(
            window.sites, window.positions.astype(np.float64), window.normals.astype(np.float64)
        )
        mask = play(tape, inputs, parameters, {}, window.sites.shape[0])["mask"][:, 0]
        sites.append(window.sites)
        values.append(quantise(mask, 16).astype(np.uint16))
    return np.concatenate(sites), np.concatenate(values)


def run_undercoat(shape: Shape, sets: Sets, on: ChannelAddress, recipe: Recipe) -> ChannelDelta:
    """What running a recipe as a channel's undercoat changes; its paint stays. Raises Refusal."""
    found = set_at(sets, on)
    sites, values = measured(shape, sets, found, recipe, on.channel)
    return undercoat_delta(on.channel, found.channels[on.channel], sites, values)
