"""Steps that change whole channels: fills, swapping, starting empty, undercoats."""

from dataclasses import replace
from uuid import UUID

from ashblend.core.arrays import Mask
from ashblend.core.blend.document import BlendDocument
from ashblend.core.brush.fills.copy_channel import MixFill
from ashblend.core.brush.fills.lift import LiftFill
from ashblend.core.channels.delta import changed_between
from ashblend.core.prepare.sides import hard_border
from ashblend.core.recipe.document import Recipe, of_channel
from ashblend.core.sets.document import ChannelSetDocument, FileUndercoat, MeasuredUndercoat
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.fills import FillOn, Fills
from ashblend.core.surface.open_set import OpenSet, open_sets
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.reshape import on_changed_mesh
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.state import SurfaceState
from ashblend.core.surface.undercoat import made_from, run_undercoat
from ashblend.session.outcome import AnyChange, Change, Outcome
from ashblend.session.surface import OpenSurface
from ashblend.store.blends import blend_of, names_of
from ashblend.store.ledger import Edit
from ashblend.store.surfaces import get_surface


def fills_on(surface: OpenSurface) -> Fills:
    return Fills(surface.shape, surface.sets)


def fill(surface: OpenSurface, message: FillOn) -> Outcome:
    surface.require_quiet()
    surface.writable(message.on)
    fills = fills_on(surface)
    label = message.meant.label(surface.name_of(message.on))
    faces = fills.chosen(message)
    if faces is None:
        return surface.keep(message.fill.kind, label, fills.deltas(message, None))
    label = f"{label} on faces"
    found = surface.set_of(message.on.channel_set)
    if message.faces is not None and message.faces.hard and found.kind.hardens:
        return _fill_hard(surface, message, faces, label)
    return surface.keep(message.fill.kind, label, fills.deltas(message, faces))


def _fill_hard(surface: OpenSurface, message: FillOn, faces: Mask, label: str) -> Outcome:
    """Split the faces' border first; one step, one undo."""
    if surface.set_of(message.on.channel_set).level:
        raise Refusal("Hard borders are made on level 0.", "Show level 0 first.")
    surface.shape.require_mesh()
    parted = hard_border(surface.shape.mesh, faces)

    def change(before: SurfaceState) -> SurfaceState:
        after = on_changed_mesh(before, parted.mesh, parted.lineage, borders=True)
        shape = shape_of(after.mesh, after.levels)
        sets = open_sets(shape, after, {})
        for channel_set, delta in Fills(shape, sets).deltas(message, faces):
            delta.apply(sets[channel_set].channels[delta.channel])
        return replace(after, sets=tuple(found.state() for found in sets.values()))

    return surface.change_state("faces", f"{label} (+{parted.added} vertices)", change)


def preview(surface: OpenSurface, message: FillOn) -> list[AnyChange]:
    """What would be another by a fill; nothing is changed."""
    surface.require_quiet()
    surface.writable(message.on)
    fills = fills_on(surface)
    out: list[AnyChange] = []
    for channel_set, delta in fills.deltas(message, fills.chosen(message)):
        found = surface.set_of(channel_set)
        trial = list(found.channels)
        trial[delta.channel] = found.channels[delta.channel].copy()
        delta.apply(trial[delta.channel])
        shown = OpenSet(found.id, found.kind, found.document, found.revision, trial, found.sites)
        out.append(Change(surface.number_of(channel_set), shown, [delta.channel]))
    return out


def swap(surface: OpenSurface, on: ChannelAddress, other: ChannelAddress) -> Outcome:
    """Exchange two channels. On the same sites exactly, paint and all; else by value."""
    surface.require_quiet()
    a, b = surface.writable(on), surface.writable(other)
    first, second = surface.set_of(on.channel_set), surface.set_of(other.channel_set)
    if first.sites is second.sites:
        deltas = [
            (on.channel_set, changed_between(on.channel, a, replace(b, undercoat=a.undercoat))),
            (other.channel_set, changed_between(other.channel, b, replace(a, undercoat=b.undercoat))),
        ]
    else:
        fills = fills_on(surface)
        deltas = [
            (on.channel_set, fills.delta(first, on.channel, MixFill(), None, other)),
            (other.channel_set, fills.delta(second, other.channel, MixFill(), None, on)),
        ]
    return surface.keep("swap", f"Swap {surface.name_of(on)} and {surface.name_of(other)}", deltas)


def start_empty(surface: OpenSurface, channel_set: UUID) -> Outcome:
    surface.require_quiet()
    found = surface.set_of(channel_set)
    for number in range(len(found.channels)):
        surface.writable(ChannelAddress(channel_set=channel_set, channel=number))
    fills = fills_on(surface)
    deltas = [
        (channel_set, fills.delta(found, n, LiftFill(), None, None)) for n in range(len(found.channels))
    ]
    return surface.keep("start_empty", f"Start {found.document.name} empty", deltas)


def _with_undercoat(
    document: ChannelSetDocument, number: int, undercoat: MeasuredUndercoat
) -> ChannelSetDocument:
    channels = list(document.channels)
    channels[number] = channels[number].model_copy(update={"undercoat": undercoat})
    return document.model_copy(update={"channels": tuple(channels)})


def _kept_in_channel(surface: OpenSurface, on: ChannelAddress, layer: str) -> tuple[Recipe, Edit]:
    """The mask of a layer, and the blend that reads a channel in its place. Raises Refusal."""
    with surface.sessions() as session:
        row = blend_of(session, surface.ident)
        if row.base is not None:
            raise Refusal("A variant's layers are those of its blend.", "Change them there.")
        ident, before, revision = row.id, row.document, row.revision
        names = names_of(get_surface(session, surface.ident))
    document = BlendDocument.model_validate(before)
    found = next((x for x in document.layers if x.id == layer), None)
    if found is None:
        raise Refusal("There is no such layer any more.", "Choose another one.")
    named = names.named(on.channel_set)
    layers = [
        x.model_copy(update={"mask": of_channel(named, on.channel)}) if x is found else x
        for x in document.layers
    ]
    after = document.model_copy(update={"layers": tuple(layers)})
    return names.recipe(found.mask), Edit("blend", ident, before, after.model_dump(mode="json"), revision)


def recipe_for(surface: OpenSurface, on: ChannelAddress, layer: str) -> Recipe:
    """The recipe that a channel would keep of a layer's mask. Raises Refusal."""
    return _kept_in_channel(surface, on, layer)[0]


def measure_undercoat(
    surface: OpenSurface, on: ChannelAddress, recipe: Recipe | None, layer: str | None = None
) -> Outcome:
    """Work a channel's undercoat out by a recipe, or again by its own; the paint over it stays.

    layer: whose mask is the recipe, and which reads the channel in its place from then on.
    """
    surface.require_quiet()
    surface.writable(on)
    found = surface.set_of(on.channel_set)
    if found.follows is not None:
        raise Refusal("Lower levels take their undercoat from level 0.", "Measure it there.")
    held = found.document.channels[on.channel].undercoat
    if isinstance(held, FileUndercoat):
        raise Refusal("Under painted heights lies the ground that came in.", "Measure another channel.")
    edits: list[Edit] = []
    if layer is not None:
        recipe, edit = _kept_in_channel(surface, on, layer)
        edits.append(edit)
    if recipe is None:
        if not isinstance(held, MeasuredUndercoat):
            raise Refusal("This channel's undercoat is not measured.", "Choose a recipe for it.")
        recipe = held.recipe
    delta = run_undercoat(surface.shape, surface.sets, on, recipe, surface.textures)
    made = made_from(recipe, surface.shape, surface.sets)
    document = _with_undercoat(found.document, on.channel, MeasuredUndercoat(recipe=recipe, made=made))
    edit = Edit(
        "channel_set",
        found.id,
        found.document.model_dump(mode="json"),
        document.model_dump(mode="json"),
        found.revision,
    )
    label = f"Undercoat of {surface.name_of(on)}"
    return surface.keep("undercoat", label, [(found.id, delta)], [edit, *edits])
