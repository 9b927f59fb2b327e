"""Recipes over HTTP and the socket: what they are made of, how sources are spread, lenses, masks kept in channels."""

from dataclasses import replace

import numpy as np
import pytest
from samples import small_project
from server.sockets import window
from server.test_combinations import first_channel
from server.test_plans import everything, undo, view
from shapes import plane

from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.images import write_png

HEIGHT = {"source": {"kind": "height"}, "low": 0.0, "high": 2.0}


@pytest.fixture
def sample(db):
    """A ramp of 45° whose height is x, from 0 to 2."""
    mesh = plane(33, 2.0, uv=True)
    positions = mesh.positions.copy()
    positions[:, 1] = positions[:, 0]
    return small_project(db, replace(mesh, positions=positions, normals=None))


def with_mask(client, sample, *terms) -> dict:
    """The blend whose first layer has such a mask, as it was answered."""
    blend = view(client, sample)["blend"]
    document = blend["document"]
    document["layers"][0]["mask"] = {"terms": list(terms)}
    body = {"revision": blend["revision"], "surface": str(sample.surface), "document": document}
    answer = client.put(f"/api/blends/{sample.blend}", json=body)
    answer.raise_for_status()
    return answer.json()


def channel_term(sample, channel: int, **more) -> dict:
    return {"source": {"kind": "channel", "channel_set": str(sample.channel_set), "channel": channel}, **more}


def on(sample, channel: int) -> dict:
    return {"channel_set": str(sample.channel_set), "channel": channel}


def test_every_source_is_told_with_its_unit(client):
    ingredients = client.get("/api/ingredients").json()
    found = {source["kind"]: source for source in ingredients["sources"]}
    assert [kind["kind"] for kind in ingredients["kinds"]] == ["cover", "film", "relief", "tint"]
    assert all(
        kind["title"] and kind["about"] and kind["first"]["opacity"] == 1 for kind in ingredients["kinds"]
    )
    live = {"channel", "height", "slope", "facing", "noise", "material", "picture", "constant"}
    assert {kind for kind, source in found.items() if source["live"]} == live
    # A measure says itself what can be set of it; some even out in a way of their own.
    own = {"cavity": {"spread"}, "runs": {"spread"}}
    for kind in set(found) - live:
        set_of = {s["key"] for s in found[kind]["settings"]}
        assert set_of == set(found[kind]["first"]) - {"kind"} - own.get(kind, set())
        fields = {key: [s["key"] for s in found[kind]["settings"]] for key in set_of}
        assert all(s["only"] is None or s["only"][0] in fields for s in found[kind]["settings"])
    assert found["slope"]["unit"] == "°" and found["height"]["unit"] == "m" and found["noise"]["placed"]
    assert all(source["title"] and source["about"] for source in found.values())


def test_a_source_is_spread_over_the_surface_in_its_own_unit(client, sample):
    def profile(term: dict) -> dict:
        body = {"channel_set": str(sample.channel_set), "term": term}
        answer = client.post(f"/api/surfaces/{sample.surface}/profile", json=body)
        assert answer.status_code == 200, answer.text
        return answer.json()

    found = profile(HEIGHT)
    assert (found["low"], found["high"]) == pytest.approx((0, 2), abs=1e-6)
    assert found["middle"] == pytest.approx(1, abs=0.07) and sum(found["shares"]) == pytest.approx(1)
    assert np.ptp(np.reshape(found["shares"], (6, 8)).sum(axis=1)) < 0.06, "even over the height"
    slope = profile({"source": {"kind": "slope"}, "low": 0, "high": 90})
    assert slope["low"] == pytest.approx(45, abs=0.01) and slope["high"] == pytest.approx(45, abs=0.01)
    # A material's height by UV: what the map holds, in its own right place.
    mapping = {"projection": "uv", "metres_per_tile": 0.5}
    source = {"kind": "material", "material": str(sample.materials[1]), "mapping": mapping}
    assert profile({"source": source})["middle"] == pytest.approx(160 / 255, abs=0.01)
    assert profile(channel_term(sample, 0))["high"] == 0
    missing = {
        "channel_set": str(sample.channel_set),
        "term": {"source": {**source, "material": str(sample.blend)}},
    }
    answer = client.post(f"/api/surfaces/{sample.surface}/profile", json=missing)
    assert answer.status_code == 409 and answer.json()["problem"]


def test_a_mask_is_kept_in_a_channel_and_run_again_under_the_paint(client, sample):
    """One step for both, taken back as one; the shader reads no more than the channel then."""
    with_mask(client, sample, HEIGHT)
    before = everything(client, sample)
    with window(client, sample) as talk:
        talk.say({"type": "measure", "on": on(sample, 2), "layer": "light"})
        talk.until("saved")
        x = sample.mesh.positions[:, 0]
        np.testing.assert_allclose(talk.values[:, 2], x / 2 * FULL, atol=1)
        layer = view(client, sample)["blend"]["document"]["layers"][0]
        source = layer["mask"]["terms"][0]["source"]
        assert source == {"kind": "channel", "channel_set": str(sample.channel_set), "channel": 2}
        talk.stroke(sample, [(0.2, 1.0)], channel=2, radius=0.3, strength=1, falloff="flat", reach="ball")
        painted = (talk.values[:, 2] == FULL) & (x < 1)
        assert painted.any()
        falling = {"terms": [{**HEIGHT, "low": 2.0, "high": 0.0}]}
        talk.say({"type": "measure", "on": on(sample, 2), "recipe": falling})
        talk.until("saved")
        assert (talk.values[painted, 2] == FULL).all(), "the paint is still there"
        free = ~painted
        np.testing.assert_allclose(talk.values[free, 2], (1 - x / 2)[free] * FULL, atol=1)
        undo(talk, 2)
        undo(talk)
    assert everything(client, sample) == before
    with window(client, sample) as talk:
        talk.say({"type": "measure", "on": on(sample, 2), "layer": "nobody"})
        assert "no such layer" in talk.until_any("refused")["problem"]


def test_a_recipe_that_feeds_on_itself_in_a_circle_is_told_so(client, sample):
    with window(client, sample) as talk:
        for channel, read in ((0, 1), (1, 2)):
            recipe = {"terms": [channel_term(sample, read)]}
            talk.say({"type": "measure", "on": on(sample, channel), "recipe": recipe})
            talk.until("saved")
        talk.say({"type": "measure", "on": on(sample, 2), "recipe": {"terms": [channel_term(sample, 0)]}})
        refused = talk.until_any("refused")
        assert "circle" in refused["problem"] and "Channel G" in refused["problem"] and refused["remedy"]
        # What is switched off feeds nothing.
        harmless = {"terms": [channel_term(sample, 0, on=False), HEIGHT]}
        talk.say({"type": "measure", "on": on(sample, 2), "recipe": harmless})
        talk.until("saved")


def test_lenses_show_a_mask_a_term_and_the_shape_by_the_same_tree(client, sample):
    with_mask(client, sample, channel_term(sample, 0), {**HEIGHT, "op": "multiply"})

    def lens(**wish) -> dict:
        answer = client.post(f"/api/surfaces/{sample.surface}/lens", json=wish)
        assert answer.status_code == 200, answer.text
        return answer.json()

    mask = lens(kind="mask", layer="light")
    assert mask["compiled"]["samples"] == 0 and mask["compiled"]["channel_sets"] == [str(sample.channel_set)]
    assert lens(kind="weight", layer="light")["compiled"]["samples"] > 0, "heights decide at the border"
    alone = lens(kind="term", layer="light", term=1)
    assert alone["compiled"]["channel_sets"] == [] and "weights" not in alone["compiled"]["glsl"]
    slope, height = lens(kind="slope"), lens(kind="height")
    assert (slope["unit"], slope["band"]) == ("°", 10) and height["unit"] == "m"
    assert height["low"] <= 0 and height["high"] >= 2 and 0 < height["band"] < 0.5
    recipe = lens(kind="recipe", recipe={"terms": [HEIGHT]})
    assert recipe["document"]["recipe"]["terms"][0]["source"]["kind"] == "height"
    for wish in ({"kind": "mask", "layer": "x"}, {"kind": "term", "layer": "light", "term": 9}):
        answer = client.post(f"/api/surfaces/{sample.surface}/lens", json=wish)
        assert answer.status_code == 409 and "any more" in answer.json()["problem"]


def test_a_blend_that_names_what_is_gone_opens_with_that_part_marked(client, db, sample):
    """And goes on being edited: what was missing before is nobody's new fault."""
    with db.begin() as session:
        from ashblend.store.documents import get_row
        from ashblend.store.models import Blend

        row = get_row(session, Blend, sample.blend)
        document = row.document
        lost = {**document["layers"][0], "id": "lost", "name": "Lost", "material": str(sample.blend)}
        row.document = {**document, "layers": [*document["layers"], lost]}
    found = view(client, sample)["blend"]
    (fault,) = found["compiled"]["faults"]
    assert fault["part"] == "/layers/1" and "material" in fault["problem"] and fault["remedy"]
    assert found["compiled"]["slots"] == ["/ground/material", "/layers/0/material"]
    answer = with_mask(client, sample, HEIGHT)
    assert [f["part"] for f in answer["compiled"]["faults"]] == ["/layers/1"]
    with window(client, sample) as talk:
        assert talk.until("statistics")
    assert first_channel(client, sample)["name"] == "Channel R"


def test_one_layer_is_looked_at_alone_and_nothing_is_written(client, sample):
    before = view(client, sample)["blend"]
    answer = client.get(f"/api/surfaces/{sample.surface}/blend", params={"only": "light"}).json()
    assert (
        answer["compiled"]["slots"] == before["compiled"]["slots"]
        and answer["revision"] == before["revision"]
    )
    alone = client.get(f"/api/surfaces/{sample.surface}/blend", params={"only": "none"}).json()
    assert alone["compiled"]["slots"] == ["/ground/material"]
    assert view(client, sample)["blend"] == before


def test_a_layer_of_a_hidden_group_can_be_looked_at_and_kept_all_the_same(client, sample):
    answer = with_mask(client, sample, HEIGHT)
    document = answer["document"]
    document["groups"] = [{"id": "g", "name": "Weather", "visible": False}]
    document["layers"][0]["group"] = "g"
    body = {"revision": answer["revision"], "surface": str(sample.surface), "document": document}
    hidden = client.put(f"/api/blends/{sample.blend}", json=body).raise_for_status().json()
    assert hidden["compiled"]["slots"] == ["/ground/material"] and not hidden["compiled"]["faults"]
    alone = client.get(f"/api/surfaces/{sample.surface}/blend", params={"only": "light"}).json()
    assert alone["compiled"]["slots"] == ["/ground/material", "/layers/0/material"]
    lens = client.post(f"/api/surfaces/{sample.surface}/lens", json={"kind": "mask", "layer": "light"}).json()
    assert "position" in lens["compiled"]["inputs"] and lens["compiled"]["uniforms"], "its ramp is there"
    share = client.post(
        f"/api/surfaces/{sample.surface}/lens", json={"kind": "share", "layer": "light"}
    ).json()
    assert not share["compiled"]["uniforms"], "of what is hidden nothing is to be seen"
    border = client.get(f"/api/surfaces/{sample.surface}/border", params={"layer": "light", "style": "noise"})
    assert border.status_code == 200
    with window(client, sample) as talk:
        talk.say({"type": "measure", "on": on(sample, 2), "layer": "light"})
        talk.until("saved")
        np.testing.assert_allclose(talk.values[:, 2], sample.mesh.positions[:, 0] / 2 * FULL, atol=1)
    kept = view(client, sample)["blend"]["document"]
    assert kept["groups"] == document["groups"] and kept["layers"][0]["group"] == "g"


def test_a_picture_is_an_undercoat_of_vertices_and_of_a_map(client, sample):
    """Worked out at every site of either; what is painted and made anew around it stays apart."""
    grey = np.tile(np.linspace(0, 1, 64), (64, 1))
    files = {"file": ("ramp.png", write_png(np.rint(grey * 65535).astype(np.uint16)), "image/png")}
    made = client.post(f"/api/projects/{sample.project}/stencils", data={"name": "Ramp"}, files=files).json()
    recipe = {"terms": [{"source": {"kind": "picture", "picture": made["id"]}}]}
    sites = {"kind": "texels", "size": 256, "uv": 0}
    new = {"name": "Map", "channels": 1, "sites": sites}
    client.post(f"/api/surfaces/{sample.surface}/sets", json=new).raise_for_status()
    other = view(client, sample)["channel_sets"][1]["id"]
    with window(client, sample) as talk:
        for channel_set in (str(sample.channel_set), other):
            talk.say({"type": "measure", "on": {"channel_set": channel_set, "channel": 0}, "recipe": recipe})
            talk.until("saved")
        u = sample.mesh.uvs[0][:, 0]
        inner = (u > 0.02) & (u < 0.98)
        np.testing.assert_allclose(talk.values[inner, 0] / FULL, u[inner], atol=0.02)
        texels = talk.sets[1][:, 0].reshape(256, 256) / FULL
        across = (np.arange(256) + 0.5) / 256
        np.testing.assert_allclose(texels[128, 8:-8], across[8:-8], atol=0.02)
        undo(talk, 2)
        assert not talk.values[:, 0].any()


@pytest.mark.parametrize("what", ["picture", "material"])
def test_a_recipe_that_reads_what_is_gone_is_refused_and_the_window_stays(client, sample, what):
    term = {"source": {"kind": what, what: str(sample.blend)}}
    with window(client, sample) as talk:
        talk.say({"type": "measure", "on": on(sample, 0), "recipe": {"terms": [term]}})
        assert f"a {what} that is not there any more" in talk.until_any("refused")["problem"]
        talk.stroke(sample, [(0.5, 0.5)])
        assert talk.values[:, 0].any()
    body = {"channel_set": str(sample.channel_set), "term": term}
    answer = client.post(f"/api/surfaces/{sample.surface}/profile", json=body)
    assert answer.status_code == 409 and answer.json()["remedy"] == f"Choose another {what}."
