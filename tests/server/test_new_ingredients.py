"""A fill, a source, a layer and a format of one file each (tests/toys) tell of themselves all that the page draws."""

import numpy as np
from samples import small_project, stored_channels
from server.test_routes import upload
from toys.dew import DewLayer
from toys.rings import RingsSource
from toys.rows import ROWS
from toys.speckles import SpecklesFill

from ashblend.core.blend.layers.registry import LAYER_DOCUMENTS
from ashblend.core.brush.fills.fill import FILLS, fill_delta
from ashblend.core.channels.channel import empty_channel
from ashblend.core.formats import bundle, registry
from ashblend.core.recipe.sources.registry import SOURCE_DOCUMENTS
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.server.routes import imports, ingredients


def test_a_fill_says_what_it_is_what_it_begins_with_and_what_can_be_set(client, db, monkeypatch):
    sample = small_project(db)
    known = client.get(f"/api/surfaces/{sample.surface}/fills").json()
    monkeypatch.setattr(ingredients, "FILLS", (*FILLS, SpecklesFill))
    *others, found = client.get(f"/api/surfaces/{sample.surface}/fills").json()
    assert others == known and len(known) == len(FILLS)
    assert (found["kind"], found["title"]) == ("speckles", "Speckles")
    [setting] = found["settings"]
    assert (setting["key"], setting["unit"], setting["logarithmic"]) == ("metres", "m", True)
    # A plane of 2 m by 2 m.
    assert found["first"]["metres"] == setting["high"] / 10 and abs(setting["high"] - 8**0.5) < 1e-6
    sites = mesh_vertices(sample.mesh)
    channel = empty_channel(sites.count)
    fill_delta(SpecklesFill(**found["first"]), 0, channel, sites).apply(channel)
    assert 0.2 < (channel.values() > 0).mean() < 0.8


def test_everything_that_can_be_set_is_there_from_the_first(client, db):
    """Of every fill, source and layer: the field, within the slider's ends, and of the right sort."""
    sample = small_project(db)
    told = client.get("/api/ingredients").json()
    documents = [
        (f["first"], f["settings"]) for f in client.get(f"/api/surfaces/{sample.surface}/fills").json()
    ]
    # What is measured begins as it fits each surface.
    documents += [(s["first"], s["settings"]) for s in told["sources"] if s["live"]]
    documents += [(k["first"], k["look"]) for k in told["kinds"]]
    checked = 0
    for first, settings in documents:
        for setting in settings:
            for fields in (setting["puts"] or {}).values():
                assert fields.keys() <= first.keys()
            if not setting["key"] or setting["pick"] not in ("", "key light"):
                continue
            at = first
            for step in setting["key"].split("/"):
                # A part that is not there at first brings its fields along.
                at = _part(settings, step) if at[step] is None else at[step]
            if setting["choices"]:
                assert at in setting["choices"] and len(setting["names"]) in (0, len(setting["choices"]))
            elif setting["control"] in ("", "another"):
                assert setting["low"] <= at <= setting["high"], setting
                assert setting["low"] < setting["high"] and (setting["low"] > 0 or not setting["logarithmic"])
            checked += 1
    assert checked > 60


def _part(settings: list[dict], key: str):
    return next(s["part"] for s in settings if s["key"] == key)


def test_a_layer_and_a_source_say_it_too(client, monkeypatch):
    for document in (DewLayer, RingsSource):
        monkeypatch.setattr(document, "title", "Toy", raising=False)
        monkeypatch.setattr(document, "about", "A toy", raising=False)
    monkeypatch.setattr(DewLayer, "hides", False)
    monkeypatch.setitem(LAYER_DOCUMENTS, "dew", DewLayer)
    monkeypatch.setitem(SOURCE_DOCUMENTS, "rings", RingsSource)
    told = client.get("/api/ingredients").json()
    kind = told["kinds"][-1]
    assert (kind["kind"], kind["title"], kind["hides"], kind["first"]["depth"]) == ("dew", "Toy", False, 0.01)
    source = told["sources"][-1]
    assert (source["kind"], source["live"], source["first"]["metres"]) == ("rings", True, 1.0)
    shares = {k["kind"]: k["hides"] for k in told["kinds"]}
    assert shares["cover"] and shares["film"] and not shares["relief"] and not shares["tint"]


def test_a_format_is_brought_offered_and_written(client, db, monkeypatch):
    sample = small_project(db)
    formats = (*registry.FORMATS, ROWS)
    for module in (registry, bundle, imports):
        monkeypatch.setattr(module, "FORMATS", formats)
    told = client.get("/api/endings").json()
    assert ".rows" in told["meshes"] and told["writings"][-1]["title"] == "Rows"
    assert told["writings"][-1]["channels"] == 1 and told["writings"][-1]["ending"] == ".rows"
    out = client.get(
        f"/api/surfaces/{sample.surface}/export",
        params={"channel_set": str(sample.channel_set), "kind": "rows"},
    )
    assert out.content.startswith(b"v ")
    broken = upload(client, sample.project, "a.rows", b"v 1 two")
    assert broken.status_code == 422 and broken.json()["problem"] == "A line is no row."
    painted = out.content.replace(b" 0.0\n", b" 1.0\n", 40)
    made = upload(client, sample.project, "plane.rows", painted).json()
    with db() as session:
        [channels] = stored_channels(session, made["id"]).values()
    assert 0 < np.count_nonzero(channels[0].values() == 65535) <= 40
