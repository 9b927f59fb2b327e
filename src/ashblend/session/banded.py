"""Laying the bands of a terrain: undercoats of a set, and layers that read them, as one step."""

from typing import Literal
from uuid import UUID, uuid4

from ashblend.core.blend.document import MOST_LAYERS, BlendDocument
from ashblend.core.blend.layers.cover import CoverLayer
from ashblend.core.blend.layers.film import FilmLayer
from ashblend.core.blend.layers.registry import Layer
from ashblend.core.materials.mapping import TileMapping
from ashblend.core.recipe.document import of_channel
from ashblend.core.sets.document import ChannelDocument, MeasuredUndercoat
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.banded import Band, bands
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.undercoat import made_from, run_undercoat
from ashblend.session.outcome import Outcome
from ashblend.session.surface import OpenSurface
from ashblend.store.blends import blend_of
from ashblend.store.deltas import SetDelta
from ashblend.store.ledger import Edit


def proposed(surface: OpenSurface) -> tuple[Band, ...]:
    """Raises Refusal on what is no terrain."""
    terrain, heights = surface.shape.ground()
    return bands(heights, terrain.spacing)


def lay(surface: OpenSurface, channel_set: UUID, materials: dict[str, UUID | None]) -> Outcome:
    """Lay bands by name, each of a material or, for None, a coat of water; the undercoats of the set's channels are theirs.

    Raises Refusal.
    """
    surface.require_quiet()
    found = surface.set_of(channel_set)
    wanted = [band for band in proposed(surface) if band.name in materials]
    bare = [band.name for band in wanted if materials[band.name] is None and not band.coats]
    if bare:
        raise Refusal(f"{bare[0]} needs a material.", "Choose one, or leave the band out.")
    covering = [band for band in wanted if band.recipe is not None]
    if len(covering) > len(found.channels):
        raise Refusal(
            f"The set has {len(found.channels)} channels; {len(covering)} are needed.", "Choose fewer bands."
        )
    members = list(found.document.channels)
    deltas: list[SetDelta] = []
    for number, band in enumerate(covering):
        on = ChannelAddress(channel_set=channel_set, channel=number)
        surface.writable(on)
        assert band.recipe is not None
        deltas.append(
            (channel_set, run_undercoat(surface.shape, surface.sets, on, band.recipe, surface.textures))
        )
        made = made_from(band.recipe, surface.shape, surface.sets)
        undercoat = MeasuredUndercoat(recipe=band.recipe, made=made)
        members[number] = ChannelDocument(name=band.name, undercoat=undercoat)
    after = found.document.model_copy(update={"channels": tuple(members)})
    edits = [
        Edit(
            "channel_set",
            channel_set,
            found.document.model_dump(mode="json"),
            after.model_dump(mode="json"),
            found.revision,
        ),
        _layers(surface, channel_set, covering, materials),
    ]
    return surface.keep("bands", "Lay bands", deltas, edits)


def _layers(
    surface: OpenSurface, channel_set: UUID, covering: list[Band], materials: dict[str, UUID | None]
) -> Edit:
    with surface.sessions() as session:
        row = blend_of(session, surface.ident)
        if row.base is not None:
            raise Refusal("A variant's layers are those of its blend.", "Change them there.")
        ident, before, revision = row.id, row.document, row.revision
    document = BlendDocument.model_validate(before)
    if len(document.layers) + len(covering) > MOST_LAYERS:
        raise Refusal(f"A blend has at most {MOST_LAYERS} layers.", "Remove some first.")
    ground = document.ground
    tile = ground.mapping.metres_per_tile
    lowest = [name for name in materials if name not in {band.name for band in covering}]
    if lowest:
        ground = ground.model_copy(update={"material": materials[lowest[0]]})
    laid: list[Layer] = []
    for number, band in enumerate(covering):
        mask, material = of_channel(channel_set, number), materials[band.name]
        if material is None:
            laid.append(FilmLayer(id=uuid4().hex[:12], name=band.name, mask=mask))
            continue
        projection: Literal["triplanar", "planar"] = "triplanar" if band.name == "Steep" else "planar"
        laid.append(
            CoverLayer(
                id=uuid4().hex[:12],
                name=band.name,
                material=material,
                mask=mask,
                mapping=TileMapping(projection=projection, axis="y", metres_per_tile=tile),
                bite=1.0,
                softness=0.25,
            )
        )
    after = document.model_copy(update={"ground": ground, "layers": (*document.layers, *laid)})
    return Edit("blend", ident, before, after.model_dump(mode="json"), revision)
