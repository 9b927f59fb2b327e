"""Undercoats that are worked out by a recipe: run, run again, and known as stale."""

import hashlib
from dataclasses import replace

import numpy as np

from ashblend.core.arrays import U16, U32, run_of, zero_pages
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.delta import ChannelDelta, undercoat_delta
from ashblend.core.channels.quantise import quantise
from ashblend.core.channels.values.weights import WEIGHTS
from ashblend.core.recipe.document import Recipe
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.channel import ChannelSource
from ashblend.core.runner import Runner, in_place, threaded
from ashblend.core.sets.document import MadeFrom, MeasuredUndercoat
from ashblend.core.sites.fingerprint import faces_name
from ashblend.core.sites.protocol import window_of
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.at_places import AtSites, ReadTextures
from ashblend.core.surface.convert import Sets, set_at
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape
from ashblend.core.survey.protocol import MeasureDocument


def digest(recipe: Recipe) -> str:
    """Short name of a recipe's contents. What is as at first is left out: settings that come later change no name."""
    contents = recipe.model_dump_json(exclude_defaults=True, exclude={"terms": {"__all__": {"id"}}})
    return hashlib.sha256(contents.encode()).hexdigest()[:16]


def measures_of(recipe: Recipe) -> list[MeasureDocument]:
    """Measures of the surface that a recipe begins terms with."""
    sources = [term.source for term in recipe.terms if term.on and term.amount]
    return [source for source in sources if isinstance(source, MeasureDocument)]


def channels_read(recipe: Recipe) -> list[ChannelAddress]:
    """Channels of the surface that a recipe reads, or that its measures are made from."""
    read = [
        ChannelAddress(channel_set=term.source.channel_set, channel=term.source.channel)
        for term in recipe.terms
        if term.on and isinstance(term.source, ChannelSource)
    ]
    lent = [measure.reads for measure in measures_of(recipe)]
    return read + [
        ChannelAddress(channel_set=channel.channel_set, channel=channel.channel)
        for channel in lent
        if channel is not None and channel.surface is None
    ]


def stale(undercoat: MeasuredUndercoat, shape: Shape, sets: Sets) -> bool:
    """Whether an undercoat would come out another now."""
    made, now = undercoat.made, made_from(undercoat.recipe, shape, sets)
    if made is not None and made.shape == str(shape.number):
        # As shapes were called once: by the number of the revision.
        made = made.model_copy(update={"shape": now.shape})
    return made != now


# Sources that are the same however the surface lies.
ANYWHERE = ("constant", "channel", "picture")


def _lie(recipe: Recipe, shape: Shape) -> str:
    """How the surface lies, for a recipe that depends on it."""
    depends = any(term.on and term.source.kind not in ANYWHERE for term in recipe.terms)
    lie, measures = shape.lie if depends else "", measures_of(recipe)
    faces = faces_name(shape.mesh) if any(measure.by_faces for measure in measures) else ""
    said = faces + lie + shape.measures.amid(measures) + shape.measures.borrowed(measures)
    return said if len(said) <= 64 else hashlib.sha256(said.encode()).hexdigest()


def _read(recipe: Recipe, sets: Sets) -> str:
    """What the channels hold that a recipe reads; nothing where it reads none."""
    names = []
    for read in channels_read(recipe):
        found = sets.get(read.channel_set)
        there = found is not None and read.channel < len(found.channels)
        names.append(found.name_of(read.channel) if found is not None and there else "gone")
    return hashlib.sha256(" ".join(names).encode()).hexdigest()[:16] if names else ""


def made_from(recipe: Recipe, shape: Shape, sets: Sets) -> MadeFrom:
    return MadeFrom(
        shape=shape.name, recipe=digest(recipe), read=_read(recipe, sets), lie=_lie(recipe, shape)
    )


def circle(sets: Sets, on: ChannelAddress, recipe: Recipe) -> list[ChannelAddress] | None:
    """The way from a channel through what its recipe reads, and what that is made from, back to it; None for none."""
    ways = [[read] for read in channels_read(recipe)]
    seen: set[ChannelAddress] = set()
    while ways:
        way = ways.pop()
        at = way[-1]
        if at == on:
            return way
        found = sets.get(at.channel_set)
        if at in seen or found is None or at.channel >= len(found.document.channels):
            continue
        seen.add(at)
        if found.follows is not None:
            ways.append([*way, ChannelAddress(channel_set=found.follows, channel=at.channel)])
        undercoat = found.document.channels[at.channel].undercoat
        if isinstance(undercoat, MeasuredUndercoat):
            ways += [[*way, read] for read in channels_read(undercoat.recipe)]
    return None


def _require_no_circle(sets: Sets, on: ChannelAddress, recipe: Recipe) -> None:
    way = circle(sets, on, recipe)
    if way is None:
        return
    if len(way) == 1:
        raise Refusal("A channel's undercoat cannot be made from itself.", "Choose another channel.")
    names = [sets[at.channel_set].document.channels[at.channel].name for at in (on, *way)]
    raise Refusal(
        f"This goes round in a circle: {', which is made from '.join(names)}.", "Choose another channel."
    )


def _by_tile(
    shape: Shape,
    sets: Sets,
    found: OpenSet,
    recipe: Recipe,
    textures: ReadTextures,
    glancing: bool,
    run: Runner,
) -> list[tuple[U32, U16]]:
    """Tile by tile, sites (k,) ascending and steps (k,)."""
    if found.values is not WEIGHTS:
        raise Refusal(f"{found.document.name} holds no weights.", "Choose a channel of another set.")
    lowering = Lowering()
    node = lower_recipe(recipe, "/recipe", lowering)
    document = {"recipe": recipe.model_dump(mode="json")}
    asked = AtSites(shape, sets, found, node, lowering, document, textures, glancing)

    def work(tile: int) -> tuple[U32, U16] | None:
        window = window_of(found.sites, tile, bare=not asked.asks_places)
        if window is None:
            return None
        return window.sites, quantise(asked.at(window), 16).astype(np.uint16, copy=False)

    return [made for made in run(work, range(found.sites.layout.tiles)) if made is not None]


def measured(
    shape: Shape, sets: Sets, found: OpenSet, recipe: Recipe, textures: ReadTextures
) -> tuple[U32, U16]:
    """The recipe's values at all sites of a set: sites (k,) ascending and steps (k,). Raises Refusal."""
    tiles = _by_tile(shape, sets, found, recipe, textures, False, threaded)
    return np.concatenate([sites for sites, _ in tiles]), np.concatenate([steps for _, steps in tiles])


def previewed(
    shape: Shape,
    sets: Sets,
    on: ChannelAddress,
    recipe: Recipe,
    textures: ReadTextures,
    glancing: bool = False,
) -> Channel:
    """A channel as it would be on a recipe; its paint is shared with it. glancing: rough ideas of measures will do.

    Raises Refusal.
    """
    found = set_at(sets, on)
    _require_no_circle(sets, on, recipe)
    plane = zero_pages(found.channels[on.channel].extent, np.uint16)
    # While a ramp is dragged. Tried: several tiles at a time; of a million sites a look took 16 ms where it takes 13.
    for sites, steps in _by_tile(shape, sets, found, recipe, textures, glancing, in_place):
        plane[run_of(sites)] = steps
    return replace(found.channels[on.channel], undercoat=plane, dirty=set())


def run_undercoat(
    shape: Shape, sets: Sets, on: ChannelAddress, recipe: Recipe, textures: ReadTextures
) -> ChannelDelta:
    """What running a recipe as a channel's undercoat changes; its paint stays. Raises Refusal."""
    found = set_at(sets, on)
    _require_no_circle(sets, on, recipe)
    sites, values = measured(shape, sets, found, recipe, textures)
    return undercoat_delta(on.channel, found.channels[on.channel], sites, values)
