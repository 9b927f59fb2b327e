"""One tree at places and at sites of every kind, and what a blend calls a surface's sets."""

from uuid import UUID, uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapes import plane, sphere

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.names import Names
from ashblend.core.channels.channel import channel_of_values
from ashblend.core.emit import work_out
from ashblend.core.recipe.document import Recipe, Term
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.channel import ChannelSource
from ashblend.core.recipe.sources.facing import FacingSource
from ashblend.core.recipe.sources.noise import NoiseSource
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.sites.patch import Places
from ashblend.core.sites.protocol import windows
from ashblend.core.surface import at_places
from ashblend.core.surface.at_places import AtPlaces, AtSites
from ashblend.core.surface.kinds.texels import TexelSites
from ashblend.core.surface.kinds.vertices import VertexSites
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape

READ = uuid4()
# What a place is by where it lies, by how it is turned, and by what a channel holds there.
RECIPE = Recipe(
    terms=(
        Term(source=NoiseSource(metres=0.3), low=0.2, high=0.8),
        Term(source=ChannelSource(channel_set=READ, channel=1), op="multiply", amount=0.7),
        Term(source=FacingSource(azimuth=70, tilt=20), low=120, high=10, op="max", amount=0.5),
    )
)


def set_of(shape: Shape, kind, ident: UUID, seed: int) -> OpenSet:
    sites = kind.sites(shape)
    rng = np.random.default_rng(seed)
    channels = [channel_of_values(rng.random(sites.layout.extent, np.float32)) for _ in range(2)]
    members = tuple(ChannelDocument(name=name) for name in "ab")
    return OpenSet(ident, kind, ChannelSetDocument(name="S", channels=members), 1, channels, sites)


def nothing(_materials, _pictures):
    return {}


@pytest.mark.parametrize("shape", [Shape(sphere(4)), Shape(plane(90, 7.3, uv=True))], ids=["sphere", "plane"])
@pytest.mark.parametrize("band", [311, 10**9])
def test_a_recipe_at_sites_is_the_recipe_at_their_places_whatever_the_band(shape, band, monkeypatch):
    """The first by the tape machine in windows of a set, the second by the reference in bands of places."""
    found = set_of(shape, VertexSites(), READ, 1)
    sets = {READ: found}
    lowering = Lowering()
    node = lower_recipe(RECIPE, "/recipe", lowering)
    document = {"recipe": RECIPE.model_dump(mode="json")}
    asked = AtSites(shape, sets, found, node, lowering, document, nothing)
    at_sites = np.concatenate([asked.at(window) for window in windows(found.sites)])
    monkeypatch.setattr(at_places, "BAND", band)
    monkeypatch.setattr(work_out, "FEW", 10**9)
    everywhere = AtPlaces(shape.inputs(), {"value": node, "twice": node}, document, {}, [found])
    values = everywhere.at(found.sites.on_surface(np.arange(found.sites.count, dtype=np.uint32)))
    np.testing.assert_allclose(values["value"][:, 0], at_sites, atol=2e-5)
    np.testing.assert_array_equal(values["value"], values["twice"])
    assert np.ptp(at_sites) > 0.5


def test_texels_and_vertices_are_asked_at_the_same_places_alike():
    """Texels of a map lie inside triangles: there the recipe reads what the vertices show."""
    shape = Shape(plane(40, 3.0, uv=True))
    known = set_of(shape, VertexSites(), READ, 2)
    map_of = set_of(shape, TexelSites(size=256), uuid4(), 3)
    lowering = Lowering()
    node = lower_recipe(RECIPE, "/recipe", lowering)
    document = {"recipe": RECIPE.model_dump(mode="json")}
    asked = AtSites(shape, {READ: known, map_of.id: map_of}, map_of, node, lowering, document, nothing)
    # No tree reads positions in the very float32 that a window has them in.
    for window in windows(map_of.sites):
        places = map_of.sites.on_surface(window.sites)
        there = AtPlaces(shape.inputs(), {"value": node}, document, {}, [known]).at(places)
        np.testing.assert_allclose(asked.at(window), there["value"][:, 0], atol=5e-4)


def test_a_tree_that_asks_nothing_has_a_value_everywhere():
    shape = Shape(plane(5, 1.0))
    lowering = Lowering()
    node = lower_recipe(Recipe(), "/recipe", lowering)
    values = AtPlaces(shape.inputs(), {"value": node}, {"recipe": Recipe().model_dump(mode="json")}, {})
    places = Places(np.zeros(7, np.int32), np.tile([0.2, 0.3, 0.5], (7, 1)))
    assert values.at(places)["value"].shape == (7, 1)


idents = st.integers(1, 40).map(lambda n: UUID(int=n))


@given(st.dictionaries(idents, idents.map(lambda i: UUID(int=i.int + 100)), max_size=6), idents)
def test_names_lead_there_and_back(stands_for, ident):
    """Where each stands for another; and a set that nothing stands for is itself."""
    stands_for = {
        a: b for n, (a, b) in enumerate(stands_for.items()) if b not in list(stands_for.values())[:n]
    }
    names = Names.of({str(a): str(b) for a, b in stands_for.items()})
    assert names.named(names.own(ident)) == ident
    assert names.own(ident) == stands_for.get(ident, ident)
    counts = {own: n + 1 for n, own in enumerate(stands_for.values())}
    for named, own in stands_for.items():
        assert names.known(counts)[named] == counts[own] == names.known(counts)[own]


def test_readings_are_by_the_surfaces_sets_and_say_who_is_seen():
    mine, theirs = UUID(int=5), UUID(int=105)

    def layer(ident: str, **rest) -> dict:
        source = {"kind": "channel", "channel_set": str(mine), "channel": 1}
        return {
            "id": ident,
            "name": ident.upper(),
            "kind": "film",
            "mask": {"terms": [{"source": source}]},
            **rest,
        }

    document = BlendDocument.model_validate(
        {
            "ground": {"material": None},
            "layers": [layer("a"), layer("b", visible=False), layer("c", group="g")],
            "groups": [{"id": "g", "name": "G", "visible": False}],
        }
    )
    found = Names(((mine, theirs),)).readings(document)
    assert [(r.channel_set, r.channel, r.layer, r.name, r.shown) for r in found] == [
        (theirs, 1, "a", "A", True), (theirs, 1, "b", "B", False), (theirs, 1, "c", "C", False),
    ]  # fmt: skip
    recipe = Names(((mine, theirs),)).recipe(document.layers[0].mask)
    assert recipe.terms[0].source.channel_set == theirs
