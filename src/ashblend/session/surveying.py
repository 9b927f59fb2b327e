"""Measures of an open surface that take long: worked out beside its thread, the undercoat run when they are there."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

from ashblend.core.channels.channel import Channel, empty_channel
from ashblend.core.progress import Progress
from ashblend.core.recipe.document import Recipe
from ashblend.core.sets.document import MeasuredUndercoat
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.lending import hear_own
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.undercoat import measures_of, previewed
from ashblend.core.survey.protocol import MeasureDocument
from ashblend.session.asking import ask
from ashblend.session.channels import measure_undercoat, recipe_for
from ashblend.session.outcome import AnyChange, Change, Outcome
from ashblend.session.recalling import at_hand, keep
from ashblend.session.surface import OpenSurface


@dataclass(frozen=True)
class Unmeasured:
    """An undercoat whose measures are not all there. missing: those, each once."""

    on: ChannelAddress
    recipe: Recipe
    shape: Shape
    found: OpenSet
    missing: tuple[MeasureDocument, ...]
    keep: Callable[[MeasureDocument], None]


def undercoat(
    surface: OpenSurface, on: ChannelAddress, recipe: Recipe | None, layer: str | None
) -> Outcome | Unmeasured | None:
    """Run an undercoat as one step; or, where that takes long, what must be measured before. None while a stroke is open and
    all is measured. Raises Refusal.
    """
    missing = _missing(surface, on, recipe, layer)
    if missing is not None:
        return missing
    return None if surface.painting is not None else measure_undercoat(surface, on, recipe, layer)


def _missing(
    surface: OpenSurface, on: ChannelAddress, recipe: Recipe | None, layer: str | None
) -> Unmeasured | None:
    found = surface.set_of(on.channel_set)
    if recipe is None and layer is None:
        held = found.document.channels[on.channel].undercoat
        recipe = held.recipe if isinstance(held, MeasuredUndercoat) else None
    elif layer is not None:
        recipe = recipe_for(surface, on, layer)
    if recipe is None or found.follows is not None:
        return None
    ask(surface, measures_of(recipe))
    missing = [m for m in measures_of(recipe) if not at_hand(surface, found, m)]
    if not missing:
        return None
    kept = partial(keep, surface.sessions, surface.ident, surface.shape, found)
    return Unmeasured(on, recipe, surface.shape, found, tuple(dict.fromkeys(missing)), kept)


def title(work: Unmeasured) -> str:
    return f"Measuring {', '.join(dict.fromkeys(m.title.lower() for m in work.missing))}"


def work_out(work: Unmeasured, show: Callable[[], None], progress: Progress) -> Unmeasured:
    """Have the shape know every measure. show: called once when there is a rough idea of them, where that is worth a look."""
    work.shape.measures.make_room(measures_of(work.recipe))

    def unwanted(_: float) -> None:
        progress(0.0)

    glanced = [work.shape.measures.glance(measure, work.found.sites, unwanted) for measure in work.missing]
    if any(glanced):
        for measure in work.missing:
            if not work.shape.measures.has_glanced(measure, work.found.sites):
                work.shape.measures.work_out(measure, work.found.sites, unwanted)
        progress(0.02)
        show()
    for number, measure in enumerate(work.missing):
        if not work.shape.measures.has(measure, work.found.sites):
            begun, share = number / len(work.missing), 1 / len(work.missing)
            work.shape.measures.work_out(
                measure,
                work.found.sites,
                lambda done, begun=begun, share=share: progress(begun + share * done),  # type: ignore[misc]
            )
        # Those, too, that were there already for the rough look at others.
        work.keep(measure.itself)
        work.keep(measure)
    return work


def as_kept(surface: OpenSurface, on: ChannelAddress) -> list[AnyChange]:
    """A channel as it is kept, for who saw it otherwise; none where it is gone."""
    found = surface.sets.get(on.channel_set)
    if found is None or on.channel >= len(found.channels):
        return []
    return [Change(surface.number_of(found.id), found, [on.channel])]


def _all_at_hand(surface: OpenSurface, found: OpenSet, measures: list[MeasureDocument]) -> bool:
    return all(surface.shape.measures.has(measure, found.sites) for measure in measures)


def preview(surface: OpenSurface, on: ChannelAddress, recipe: Recipe, bare: bool = False) -> list[AnyChange]:
    """How a channel would look on a recipe; nothing where that takes long or cannot be: running it will say why.

    bare: without its paint.
    """
    found = surface.sets.get(on.channel_set)
    if found is None or found.follows is not None:
        return []
    measures = measures_of(recipe)
    try:
        hear_own(surface.shape, surface.sets, measures)
        if not _all_at_hand(surface, found, measures):
            # A knob that is dragged asks nobody else as long as what was heard before will do.
            ask(surface, measures)
        if _all_at_hand(surface, found, measures):
            return [trial(surface, on, recipe, bare)]
    except Refusal:
        pass
    return []


def look_at_paint(surface: OpenSurface, on: ChannelAddress) -> list[AnyChange]:
    """A channel's cover in the place of its values. Raises Refusal where there is no such channel."""
    held = surface.set_of(on.channel_set).channels
    if on.channel >= len(held):
        raise Refusal("There is no such channel any more.", "Choose another one.")
    cover = held[on.channel].cover
    return [_shown_as(surface, on, Channel(cover, cover))]


def _shown_as(surface: OpenSurface, on: ChannelAddress, channel: Channel) -> Change:
    found = surface.set_of(on.channel_set)
    channels = list(found.channels)
    channels[on.channel] = channel
    shown = OpenSet(found.id, found.kind, found.document, found.revision, channels, found.sites)
    return Change(surface.number_of(found.id), shown, [on.channel])


def trial(
    surface: OpenSurface, on: ChannelAddress, recipe: Recipe, bare: bool = False, glancing: bool = False
) -> Change:
    """How a channel would look on a recipe, or only the recipe; nothing is changed. glancing: rough ideas of its measures
    will do. Raises Refusal.
    """
    found = surface.set_of(on.channel_set)
    if on.channel >= len(found.channels):
        raise Refusal("There is no such channel any more.", "Choose another one.")
    channel = previewed(surface.shape, surface.sets, on, recipe, surface.textures, glancing)
    if bare:
        channel = replace(empty_channel(channel.extent, kind=channel.kind), undercoat=channel.undercoat)
    return _shown_as(surface, on, channel)
