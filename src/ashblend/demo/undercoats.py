"""Sets whose channels begin with measured undercoats, as an artist would have run them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import uuid4

import numpy as np
from sqlalchemy.orm import Session

from ashblend.core.arrays import F32
from ashblend.core.channels.channel import Channel, empty_channel
from ashblend.core.channels.quantise import quantise
from ashblend.core.recipe.document import Recipe
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument, MeasuredUndercoat
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.convert import Sets
from ashblend.core.surface.kinds.vertices import VertexSites
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.undercoat import made_from, measured, measures_of
from ashblend.store.measures import keep_measure, measure_key
from ashblend.store.models import Surface
from ashblend.store.states import read_surface_mesh
from ashblend.store.surfaces import NewChannelSet


def run_undercoats(shape: Shape, sets: Sets, found: OpenSet, recipes: Mapping[int, Recipe]) -> None:
    """Put a measured undercoat under some channels of a set, by number."""
    members = list(found.document.channels)
    for number, recipe in recipes.items():
        sites, values = measured(shape, sets, found, recipe, lambda _, __: {})
        plane = np.zeros(found.sites.layout.extent, np.uint16)
        plane[sites] = values
        found.channels[number].undercoat = plane
        undercoat = MeasuredUndercoat(recipe=recipe, made=made_from(recipe, shape, sets))
        members[number] = members[number].model_copy(update={"undercoat": undercoat})
    found.document = found.document.model_copy(update={"channels": tuple(members)})
    for channel in found.channels:
        channel.mark_all()


def painted(weights: F32, cover: F32) -> Channel:
    """A channel with hand paint: weights (sites,) where cover (sites,) is one."""
    channel = empty_channel(weights.shape[0])
    channel.cover[:] = quantise(cover, 16).astype(np.uint16)
    channel.paint[:] = quantise(weights * cover, 16).astype(np.uint16)
    return channel


def vertex_set(
    mesh: Mesh,
    name: str,
    names: Sequence[str],
    recipes: Mapping[int, Recipe],
    paint: Mapping[int, Channel],
) -> "Undercoated":
    """A set on the vertices of a mesh. recipes, paint: by number of the channel."""
    shape = shape_of(mesh)
    document = ChannelSetDocument(name=name, channels=tuple(ChannelDocument(name=n) for n in names))
    channels = [paint.get(number, empty_channel(mesh.vertex_count)) for number in range(len(names))]
    kind = VertexSites()
    found = OpenSet(uuid4(), kind, document, 0, channels, kind.sites(shape))
    run_undercoats(shape, {found.id: found}, found, recipes)
    return Undercoated(shape, found)


@dataclass(frozen=True)
class Undercoated:
    """A set whose undercoats were measured on a shape."""

    shape: Shape
    found: OpenSet

    @property
    def new(self) -> NewChannelSet:
        return NewChannelSet(self.found.document, self.found.channels, self.found.kind)

    def keep(self, session: Session, surface: Surface) -> None:
        """Keep what was measured along with the surface, so that a first ramp that is dragged measures nothing."""
        mesh = read_surface_mesh(session, surface)
        for channel in self.found.document.channels:
            if not isinstance(channel.undercoat, MeasuredUndercoat):
                continue
            for measure in measures_of(channel.undercoat.recipe):
                key = measure_key(self.shape, self.found.kind, measure, mesh)
                values = self.shape.measures.raw(measure, self.found.sites)
                assert values is not None
                keep_measure(session, surface.id, key, values)
