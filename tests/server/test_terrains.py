"""Terrain through the server: brought in, painted, its ground moved, measured, and all of it back after a restart."""

import io
import json
import zipfile

import numpy as np
import pytest
from fastapi.testclient import TestClient
from samples import small_project, small_terrain
from server.conftest import HOST
from server.sockets import window
from server.test_plans import undo

from ashblend.core.brush.ahead import Ahead
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.heights.read import FORMATS, read_grid
from ashblend.core.formats.images import write_png
from ashblend.core.sets.document import ChannelSetDocument
from ashblend.core.surface.address import ChannelAddress, Protection
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.undercoat import stale
from ashblend.server.app import create_app
from ashblend.server.settings import Settings
from ashblend.session.strokes import Strokes
from ashblend.session.surface import OpenSurface
from ashblend.store.documents import get_row
from ashblend.store.models import ChannelSet


def hills(rows: int = 65, cols: int = 97) -> np.ndarray:
    y, x = np.mgrid[:rows, :cols].astype(np.float64)
    return (4 * np.sin(x / 9) * np.cos(y / 7) + 0.05 * x).astype(np.float32)


@pytest.fixture
def sample(client, db):
    return small_terrain(client, db, hills())


def ground_set(client, sample) -> str:
    view = client.get(f"/api/surfaces/{sample.surface}").json()
    return next(s["id"] for s in view["channel_sets"] if s["sites"]["kind"] == "corners")


def stroke(talk, channel_set: str, place: list[float], **brush) -> dict:
    brush = {"radius": 6.0, "strength": 1, "target": 1, "falloff": "flat", "reach": "ball", **brush}
    talk.say(
        {"type": "begin", "stroke": "s", "on": {"channel_set": channel_set, "channel": 0}, "brush": brush}
    )
    talk.say({"type": "extend", "stroke": "s", "samples": [{"position": place, "normal": [0, 1, 0]}]})
    talk.say({"type": "end", "stroke": "s"})
    return talk.until("saved")


def test_where_the_ground_moves_with_the_pen_no_dab_is_reached_before_its_turn(db, sample, monkeypatch):
    """Elsewhere large dabs are, while those before them are printed."""
    monkeypatch.setattr("ashblend.core.brush.stroke.LARGE", 1)
    monkeypatch.setattr("os.cpu_count", lambda: 2)
    begun = []
    begin = Ahead.begin
    monkeypatch.setattr(Ahead, "begin", lambda self, dabs: begun.append(1) or begin(self, dabs))
    surface = OpenSurface(db, sample.surface)
    path = [
        PointerSample(position=(x, float(hills()[32, int(x) + 48]), 0), normal=(0, 1, 0)) for x in (-20, 20)
    ]
    for found in list(surface.sets.values()):
        begun.clear()
        strokes = Strokes(surface)
        on = ChannelAddress(channel_set=found.id, channel=0)
        strokes.begin("me", "s", on, Brush(radius=6, strength=0.5, act="add"), Protection())
        strokes.extend("me", "s", path)
        assert strokes.finish("me", "s").label
        assert bool(begun) == (found.kind.kind == "cells")


def test_heights_come_in_and_their_cells_are_painted(client, db, sample):
    view = client.get(f"/api/surfaces/{sample.surface}").json()
    facts = view["facts"]["terrain"]
    assert (facts["rows"], facts["cols"], facts["spacing"]) == (65, 97, 1.0)
    assert [s["sites"]["kind"] for s in view["channel_sets"]] == ["cells", "corners"]
    base = client.get(f"/api/surfaces/{sample.surface}/heights").content
    assert np.frombuffer(base[-65 * 97 * 4 :], "<f4").tobytes() == hills().tobytes()
    with window(client, sample) as talk:
        assert talk.values[:, 0].max() == 0 and talk.values[:, 3].max() == 0
        place = [10.0, float(hills()[32, 58]), 0.0]
        stroke(talk, str(sample.channel_set), place)
        painted = talk.values[:, 0] == FULL
        # Cells are 96/256 by 64/256 metres; a disc on sloping ground is a little smaller than a level one.
        assert 0.8 < painted.sum() * (96 / 256) * (64 / 256) / (np.pi * 36) < 1.0
        talk.say(
            {
                "type": "probe",
                "number": 1,
                "channel_set": str(sample.channel_set),
                "level": 0,
                "triangle": 0,
                "barycentric": [1, 0, 0],
                "radius": 5,
                "reach": "ball",
                "facing_limit": 180,
            }
        )
        told = talk.until("core_sample")
        assert told["height"] == pytest.approx(hills()[0, 0], abs=1e-5)


def test_the_ground_is_moved_by_the_same_brush_and_back_to_the_bit(client, db, sample):
    ground = ground_set(client, sample)
    facts = client.get(f"/api/surfaces/{sample.surface}").json()["facts"]["terrain"]
    low, high = facts["painted_low"], facts["painted_high"]
    wanted = (12.0 - low) / (high - low)
    with window(client, sample) as talk:
        assert not talk.ground
        stroke(talk, ground, [0.0, float(hills()[32, 48]), 0.0], target=wanted)
        moved = hills()
        for left, top, part in talk.ground:
            moved[top : top + part.shape[0], left : left + part.shape[1]] = part
        there = moved != hills()
        assert 60 < there.sum() < 120
        assert np.abs(moved[there] - 12.0).max() < (high - low) / 65535
        talk.say({"type": "undo"})
        talk.until("saved")
        for left, top, part in talk.ground:
            moved[top : top + part.shape[0], left : left + part.shape[1]] = part
        assert moved.tobytes() == hills().tobytes()
        talk.say({"type": "redo"})
        talk.until("saved")


def test_moved_ground_is_there_for_whoever_comes_after_a_restart(database, db):
    with TestClient(create_app(Settings(database_url=database)), base_url=HOST) as client:
        sample = small_terrain(client, db, hills())
        ground = ground_set(client, sample)
        with window(client, sample) as talk:
            stroke(talk, ground, [0.0, float(hills()[32, 48]), 0.0], act="add", target=0.2)
            moved = talk.ground[-1]
    with (
        TestClient(create_app(Settings(database_url=database)), base_url=HOST) as client,
        window(client, sample) as talk,
    ):
        ((left, top, part),) = talk.ground
        theirs = part[moved[1] - top :, moved[0] - left :][: moved[2].shape[0], : moved[2].shape[1]]
        assert theirs.tobytes() == moved[2].tobytes()


def measured_is_stale(db, sample, heights) -> bool:
    shape = shape_of(sample.mesh)
    shape.field.heights = heights
    with db() as session:
        row = get_row(session, ChannelSet, sample.channel_set)
        undercoat = ChannelSetDocument.model_validate(row.document).channels[0].undercoat
    return stale(undercoat, shape, {})


def test_an_undercoat_of_the_ground_is_stale_when_the_ground_moves_and_not_when_it_is_put_back(
    client, db, sample
):
    recipe = {"terms": [{"source": {"kind": "position", "metres": 12.0}, "low": -1.0, "high": 1.0}]}
    with window(client, sample) as talk:
        talk.say(
            {
                "type": "measure",
                "on": {"channel_set": str(sample.channel_set), "channel": 0},
                "recipe": recipe,
            }
        )
        talk.until("saved")
        first = talk.values[:, 0].copy()
        assert first.max() > 40_000 and first.min() < 20_000
        assert not measured_is_stale(db, sample, hills())
        stroke(talk, ground_set(client, sample), [0.0, float(hills()[32, 48]), 0.0], act="add", target=0.3)
        moved = hills()
        for left, top, part in talk.ground:
            moved[top : top + part.shape[0], left : left + part.shape[1]] = part
        assert measured_is_stale(db, sample, moved)
        talk.say(
            {"type": "measure", "on": {"channel_set": str(sample.channel_set), "channel": 0}, "recipe": None}
        )
        talk.until("saved")
        assert np.abs(talk.values[:, 0].astype(int) - first).max() > 5000
        undo(talk)
        undo(talk)
        assert not measured_is_stale(db, sample, hills())


def test_what_a_terrain_cannot_do_is_said(client, db, sample):
    url = f"/api/surfaces/{sample.surface}"
    for path, body in (
        ("sets", {"name": "V", "sites": {"kind": "vertices"}}),
        ("sets", {"name": "M", "sites": {"kind": "texels", "size": 256}}),
        ("sets", {"name": "H", "sites": {"kind": "corners", "rows": 65, "cols": 97}}),
        ("placing", {"metres_per_unit": 2.0}),
    ):
        said = client.post(f"{url}/{path}", json=body)
        assert said.status_code == 409 and said.json()["remedy"], (path, said.text)
    assert (
        client.post(
            f"{url}/sets", json={"name": "Second", "sites": {"kind": "cells", "rows": 64, "cols": 128}}
        ).status_code
        == 201
    )
    assert client.delete(f"{url}/sets/{ground_set(client, sample)}").status_code == 409
    with window(client, sample) as talk:
        on = {"channel_set": ground_set(client, sample), "channel": 0}
        talk.say({"type": "measure", "on": on, "recipe": {"terms": []}})
        assert "came in" in talk.until_any("refused", "saved")["problem"]
    mesh = small_project(db)
    with window(client, mesh) as talk:
        recipe = {"terms": [{"source": {"kind": "water"}}]}
        talk.say(
            {"type": "measure", "on": {"channel_set": str(mesh.channel_set), "channel": 0}, "recipe": recipe}
        )
        assert "terrain" in talk.until_any("refused", "saved")["problem"]


def look(client, *files: tuple[str, bytes], **form) -> dict:
    parts = [("files", (name, io.BytesIO(data))) for name, data in files]
    return client.post("/api/heights", files=parts, data=form)


def test_looking_says_what_is_odd_and_shows_it(client, db):
    steps = np.repeat(np.repeat(np.arange(8, dtype=np.uint8) * 30, 8)[None], 64, axis=0)
    told = look(client, ("coast.png", write_png(steps))).json()
    assert told["most"] == 255 and told["steps"] == 8 and told["first"]["soften"]
    assert any("8-bit" in note for note in told["notes"]) and any("lowest" in note for note in told["notes"])
    holes = hills()
    holes[10:14, 20:30] = np.nan
    told = look(client, ("bay.npy", FORMATS[-1].write(holes))).json()
    assert told["holes"] == 40 and told["first"]["mend"]
    query = {"name": "bay.npy", "taking": json.dumps({"spacing": 2.0})}
    shown = client.get(f"/api/heights/{told['file']}/preview", params=query)
    assert shown.headers["content-type"] == "image/png" and read_grid(
        "a.png", shown.content
    ).values.shape == (65, 97)
    project = small_project(db).project
    body = {"file": told["file"], "name": "bay.npy", "taking": {"spacing": 2.0}}
    refused = client.post(f"/api/projects/{project}/terrains", json=body)
    assert refused.status_code == 422 and "40 holes" in refused.json()["problem"]
    body["taking"]["mend"] = True
    made = client.post(f"/api/projects/{project}/terrains", json=body)
    assert made.status_code == 201 and any("filled" in note for note in made.json()["notes"])


def test_raw_numbers_are_guessed_and_can_be_overruled(client):
    whole = np.rint((hills(129, 129) + 6) * 4000).astype(np.uint16)
    told = look(client, ("island.raw", whole.astype(">u2").tobytes())).json()
    assert told["layout"] == {"cols": 129, "rows": 129, "order": "big"}
    other = {"name": "island.raw", "layout": json.dumps({"cols": 129, "rows": 129, "order": "little"})}
    again = client.get(f"/api/heights/{told['file']}", params=other).json()
    assert again["layout"]["order"] == "little" and again["greatest"] != told["greatest"]
    bad = {"name": "island.raw", "layout": json.dumps({"cols": 100, "rows": 100})}
    assert client.get(f"/api/heights/{told['file']}", params=bad).status_code == 422


def test_regions_come_in_as_one(client, db):
    whole = np.rint((hills(129, 129) + 6) * 4000).astype(np.uint16)
    parts = {
        f"skerry_x{c}_y{r}.png": write_png(whole[r * 64 : r * 64 + 65, c * 64 : c * 64 + 65])
        for r in (0, 1)
        for c in (0, 1)
    }
    told = look(client, *parts.items()).json()
    assert (told["rows"], told["cols"]) == (129, 129) and "shared" in told["notes"][0]
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for name, data in parts.items():
            archive.writestr(f"deep/{name}", data)
    again = look(client, ("all.zip", packed.getvalue())).json()
    assert again["file"] == told["file"] and again["name"] == told["name"]
    project = small_project(db).project
    body = {"file": told["file"], "name": told["name"], "taking": {"low": 0, "high": 100}}
    made = client.post(f"/api/projects/{project}/terrains", json=body).raise_for_status().json()
    base = client.get(f"/api/surfaces/{made['id']}/heights").content
    heights = np.frombuffer(base[-129 * 129 * 4 :], "<f4").reshape(129, 129)
    assert np.abs(heights - whole.astype(np.float64) * 100 / 65535).max() < 1e-5
    lone = look(client, *list(parts.items())[:3])
    assert lone.status_code == 422 and "3" in lone.json()["problem"]


def bundle(client, sample, **choice) -> tuple[dict, dict[str, bytes]]:
    answer = client.post(f"/api/surfaces/{sample.surface}/export/terrain", json=choice)
    assert answer.status_code == 200, answer.text
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    return json.loads(files["manifest.json"]), files


def brought_back(client, db, sample, files: dict[str, bytes]) -> dict:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    told = look(client, ("again.zip", packed.getvalue())).raise_for_status().json()
    body = {"file": told["file"], "name": told["name"], "taking": told["first"]}
    made = client.post(f"/api/projects/{sample.project}/terrains", json=body).raise_for_status().json()
    return client.get(f"/api/surfaces/{made['id']}").json()


def test_a_range_that_heights_came_in_goes_out_again_and_none_is_cut(client, db):
    """Of a file in which 0 is 0 m and 65 535 is 100 m, or of a set of tiles that share one."""
    sample = small_terrain(client, db, hills(65, 65))
    low, high = float(hills(65, 65).min()), float(hills(65, 65).max())
    manifest, files = bundle(client, sample, heights="PNG", low=-20.0, high=100.0)
    assert (manifest["heights"]["low"], manifest["heights"]["high"]) == (-20, 100)
    assert set(manifest["materials"]) == {manifest["blend"]["ground"]["material"]}
    assert all(manifest["materials"].values())
    again = brought_back(client, db, sample, files)
    assert again["facts"]["came_range"] == [-20, 100]
    heights = np.frombuffer(client.get(f"/api/surfaces/{again['id']}/heights").content[-65 * 65 * 4 :], "<f4")
    assert np.abs(heights - hills(65, 65).reshape(-1)).max() <= 120 / 65535 * 0.51
    fitted, _ = bundle(client, sample, heights="PNG")
    assert (fitted["heights"]["low"], fitted["heights"]["high"]) == pytest.approx((low, high))
    answer = client.post(
        f"/api/surfaces/{sample.surface}/export/terrain",
        json={"heights": "PNG", "low": low + 1, "high": high},
    )
    assert answer.status_code == 409 and "do not fit between" in answer.json()["problem"]


@pytest.mark.parametrize(
    "choice",
    [
        {"heights": "NPY", "depth": "float", "splat": "npy", "bits": 16},
        {"heights": "TIFF", "depth": "float", "splat": "tiff", "bits": 16, "regions": 4},
        {"heights": "EXR", "depth": "float", "splat": "raw", "bits": 8, "regions": 2, "border": 1},
        {"heights": "raw", "splat": "png", "bits": 4, "dither": True},
        {"heights": "PNG", "splat": "raw", "bits": 4, "channels": 2},
        {"heights": "PNG", "splat": "npy", "bits": 4, "normalised": True, "mesh": 16},
    ],
)
def test_what_goes_out_comes_back(client, db, choice):
    sample = small_terrain(client, db, hills(65, 65))
    with window(client, sample) as talk:
        for channel, weight in enumerate((1 / 3, 0.5, 0.0)):
            on = {"channel_set": str(sample.channel_set), "channel": channel}
            talk.say({"type": "fill", "on": on, "fill": {"kind": "even", "weight": weight}})
            talk.until("saved")
        stroke(talk, str(sample.channel_set), [4.0, float(hills(65, 65)[32, 36]), 0.0], falloff="smooth")
        stroke(
            talk, ground_set(client, sample), [8.0, float(hills(65, 65)[32, 40]), 8.0], act="add", target=0.1
        )
        ours = talk.values.copy()
        moved = hills(65, 65)
        for left, top, part in talk.ground:
            moved[top : top + part.shape[0], left : left + part.shape[1]] = part
    assert not np.array_equal(moved, hills(65, 65))
    manifest, files = bundle(client, sample, **choice)
    assert (
        manifest["heights"]["registration"] == "corners" and manifest["splat"][0]["registration"] == "cells"
    )
    again = brought_back(client, db, sample, files)
    assert [s["sites"]["kind"] for s in again["channel_sets"]] == ["cells", "corners"]
    base = client.get(f"/api/surfaces/{again['id']}/heights").content
    heights = np.frombuffer(base[-65 * 65 * 4 :], "<f4").reshape(65, 65)
    if choice.get("depth") == "float":
        assert heights.tobytes() == moved.tobytes()
    else:
        assert np.abs(heights - moved).max() <= (moved.max() - moved.min()) / 65535 * 0.51
    from dataclasses import replace
    from uuid import UUID

    with window(client, replace(sample, surface=UUID(again["id"]))) as talk:
        theirs = talk.values[:, : choice.get("channels", 4)] / 65535
    wanted = ours[:, : choice.get("channels", 4)] / 65535
    bits = choice["bits"]
    if choice.get("normalised"):
        left, out = np.ones(len(wanted)), np.zeros_like(wanted)
        for channel in reversed(range(4)):
            out[:, channel] = left * wanted[:, channel]
            left = left * (1 - wanted[:, channel])
        # Each is a difference of two rounded sums, and all of them with the ground are one.
        assert np.abs(theirs - out).max() <= 1.001 / (2**bits - 1)
        assert (np.rint(theirs * 15).sum(axis=1) <= 15).all()
    else:
        most = (1.0 if choice.get("dither") else 0.5) / (2**bits - 1)
        assert np.abs(theirs - wanted).max() <= most + 1 / 65535
    if choice.get("dither"):
        # Over a whole pattern the mean is what was painted, which plain rounding misses.
        assert abs(theirs[:, 1][wanted[:, 1] == wanted[0, 1]].mean() - wanted[0, 1]) < 0.002


def test_regions_share_edges_exactly_and_what_does_not_fit_is_said(client, db):
    sample = small_terrain(client, db, hills(65, 65))
    _, files = bundle(client, sample, heights="raw", regions=4, border=1, splat="raw", bits=8, mesh=0)
    parts = {
        (c, r): np.frombuffer(files[f"heights_x{c}_y{r}.r16"], "<u2").reshape(17, 17)
        for c in range(4)
        for r in range(4)
    }
    for (c, r), part in parts.items():
        if c < 3:
            assert np.array_equal(part[:, -1], parts[c + 1, r][:, 0])
        if r < 3:
            assert np.array_equal(part[-1], parts[c, r + 1][0])
    refused = client.post(f"/api/surfaces/{sample.surface}/export/terrain", json={"regions": 3})
    assert refused.status_code == 409 and "3 × 3" in refused.json()["problem"]
    assert (
        client.post(f"/api/surfaces/{sample.surface}/export/terrain", json={"heights": "EXR"}).status_code
        == 409
    )
    assert (
        client.post(f"/api/surfaces/{small_project(db).surface}/export/terrain", json={}).status_code == 409
    )


def test_bands_are_laid_as_one_step_and_taken_back_as_one(client, db, sample):
    url = f"/api/surfaces/{sample.surface}"
    told = client.get(f"{url}/bands").json()
    assert [b["name"] for b in told if not b["covers"]] == ["Gentle"] and len(told) == 5
    before = client.get(url).json()
    dark, light = map(str, sample.materials)
    wanted = {b["name"]: light if b["covers"] else dark for b in told}
    body = {"channel_set": str(sample.channel_set), "materials": wanted}
    with window(client, sample) as talk:
        assert client.post(f"{url}/bands", json=body).status_code == 200
        talk.until("saved")
        after = client.get(url).json()
        layers = after["blend"]["document"]["layers"]
        assert [x["name"] for x in layers] == ["Low and flat", "Wet", "High", "Steep"]
        assert (
            after["blend"]["document"]["ground"]["material"] == dark
            and not after["blend"]["compiled"]["faults"]
        )
        held = talk.values / FULL
        # Each band is seen, and none takes all.
        assert all(0.01 < held[:, c].mean() < 0.6 for c in range(4)), held.mean(axis=0)
        names = [c["name"] for c in after["channel_sets"][0]["document"]["channels"]]
        assert names == [x["name"] for x in layers]
        undo(talk)
        assert talk.values.max() == 0
    again = client.get(url).json()
    # Without a material that its name fits, wet ground is a coat of water and not whatever comes first.
    assert [(b["name"], b["material"]) for b in told if b["coats"]] == [("Wet", None)]
    bare = {"channel_set": str(sample.channel_set), "materials": {**wanted, "High": None}}
    refused = client.post(f"{url}/bands", json=bare)
    assert refused.status_code == 409 and "High needs a material" in refused.json()["problem"]
    coated = {"channel_set": str(sample.channel_set), "materials": {**wanted, "Wet": None}}
    with window(client, sample) as talk:
        assert client.post(f"{url}/bands", json=coated).status_code == 200
        talk.until("saved")
        kinds = {x["name"]: x["kind"] for x in client.get(url).json()["blend"]["document"]["layers"]}
        assert kinds == {"Low and flat": "cover", "Wet": "film", "High": "cover", "Steep": "cover"}
        undo(talk)
    assert again["blend"]["document"] == before["blend"]["document"]
    assert again["channel_sets"][0]["document"] == before["channel_sets"][0]["document"]
    assert client.get(f"/api/surfaces/{small_project(db).surface}/bands").status_code == 409


def test_the_profile_tells_area_and_what_the_ramp_takes_in(client, db, sample):
    term = {"source": {"kind": "slope"}, "low": 10.0, "high": 30.0}
    body = {"channel_set": str(sample.channel_set), "term": term}
    told = client.post(f"/api/surfaces/{sample.surface}/profile", json=body).json()
    flat = 96 * 64
    assert flat < told["area"] < 1.3 * flat and 0 < told["covered"] < 1
    body["term"] = {**term, "low": 200.0, "high": 200.0}
    assert client.post(f"/api/surfaces/{sample.surface}/profile", json=body).json()["covered"] == 0
    body["term"] = {"source": {"kind": "water", "level": -100.0}, "low": 0, "high": 1}
    assert (
        client.post(f"/api/surfaces/{sample.surface}/profile", json=body).json()[
            "unit" if False else "covered"
        ]
        < 0.5
    )


def test_a_layer_cannot_measure_the_ground_at_every_pixel_and_is_told(client, db, sample):
    url = f"/api/surfaces/{sample.surface}"
    view = client.get(url).json()
    layer = {
        "kind": "cover", "id": "wet", "name": "Wet", "material": str(sample.materials[1]),
        "mask": {"terms": [{"source": {"kind": "wetness"}}]},
    }  # fmt: skip
    document = {**view["blend"]["document"], "layers": [layer]}
    body = {"revision": view["blend"]["revision"], "surface": str(sample.surface), "document": document}
    said = client.put(f"/api/blends/{view['blend']['id']}", json=body)
    assert said.status_code == 409 and "measured once" in said.json()["problem"]
    lens = {"kind": "recipe", "recipe": layer["mask"]}
    assert client.post(f"{url}/lens", json=lens).status_code in (409, 422)


def test_a_path_runs_over_the_ground_through_its_places(client, db, sample):
    heights = hills()
    places = [[-40.0, 99.0, -20.0], [-10.0, -5.0, 10.0], [20.0, 0.0, -10.0], [40.0, 0.0, 20.0]]
    brush = {"radius": 2.0, "strength": 1, "target": 1, "falloff": "smooth", "reach": "ball"}
    on = {"channel_set": str(sample.channel_set), "channel": 1}
    with window(client, sample) as talk:
        talk.say({"type": "path", "stroke": "p", "on": on, "brush": brush, "places": places})
        assert talk.until("saved")["label"].startswith("Paint")
        held = (
            talk.values[:, 1].reshape(256, 256)
            if talk.values.shape[0] == 65536
            else talk.values[:65536, 1].reshape(256, 256)
        )
        for x, _, z in places:
            row, col = int((z + 32) / 64 * 256), int((x + 48) / 96 * 256)
            assert held[max(row - 1, 0) : row + 2, max(col - 1, 0) : col + 2].max() > 0.9 * FULL
        # A soft verge: a band some metres wide, and nothing far from it.
        assert 0.02 < (held > 0).mean() < 0.25 and heights.shape == (65, 97)
        undo(talk)
        assert talk.values[:, 1].max() == 0
        talk.say({"type": "path", "stroke": "q", "on": on, "brush": brush, "places": [[0, 0, 0], [0, 0, 0]]})
        assert "two places" in talk.until_any("refused", "saved")["problem"]
    mesh = small_project(db)
    with window(client, mesh) as talk:
        on = {"channel_set": str(mesh.channel_set), "channel": 0}
        talk.say({"type": "path", "stroke": "p", "on": on, "brush": brush, "places": places})
        assert "terrain" in talk.until_any("refused", "saved")["problem"]


@pytest.mark.parametrize(
    ("limit", "inside"),
    [
        ({"height": {"low": 1.0, "high": 3.0}}, lambda y, s: (y >= 1) & (y <= 3)),
        ({"slope": {"low": 0.0, "high": 12.0}}, lambda y, s: s <= 12),
        (
            {"height": {"low": -90, "high": 0.0}, "slope": {"low": 10, "high": 90}},
            lambda y, s: (y <= 0) & (s >= 10),
        ),
    ],
)
def test_strokes_and_fills_keep_to_heights_and_slopes(client, db, sample, limit, inside):
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    shape = shape_of(sample.mesh)
    sites = shape.grid(256, 256, 0.5)
    here = sites.in_tile(0)
    there = sites.window(here)
    wanted = inside(there.positions[:, 1], np.degrees(np.arccos(np.clip(there.normals[:, 1], -1, 1))))
    assert 0.02 < wanted.mean() < 0.9
    with window(client, sample) as talk:
        talk.say({"type": "fill", "on": on, "fill": {"kind": "even", "weight": 1.0}, "protect": limit})
        talk.until("saved")
        assert np.array_equal(talk.values[: here.size, 0] > 0, wanted)
        undo(talk)
        brush = {"radius": 20.0, "strength": 1, "target": 1, "falloff": "flat", "reach": "ball"}
        talk.say({"type": "begin", "stroke": "s", "on": on, "brush": brush, "protect": limit})
        talk.say({"type": "extend", "stroke": "s", "samples": [{"position": [0, 0, 0], "normal": [0, 1, 0]}]})
        talk.say({"type": "end", "stroke": "s"})
        talk.until("saved")
        painted = talk.values[: here.size, 0] > 0
        assert painted.any() and not (painted & ~wanted).any()
        soft = {key: {**value, "soft": 2.0} for key, value in limit.items()}
        talk.say({"type": "fill", "on": on, "fill": {"kind": "even", "weight": 1.0}, "protect": soft})
        talk.until("saved")
        between = (talk.values[: here.size, 0] > 0) & (talk.values[: here.size, 0] < FULL)
        assert between.any()
        backwards = {"height": {"low": 3.0, "high": 1.0}}
        talk.say({"type": "fill", "on": on, "fill": {"kind": "even", "weight": 1.0}, "protect": backwards})
        assert talk.until_any("refused", "saved")["type"] == "refused"


def test_a_stencil_on_the_ground_is_as_many_metres_wide(client, db, sample):
    """A picture of two stripes, one light, laid 8 m wide: every 8 m a stripe of 4 m is painted, wherever the brush is."""
    image = np.zeros((8, 8), np.uint8)
    image[:, :4] = 255
    files = {"file": ("stripes.png", io.BytesIO(write_png(image)))}
    made = client.post(f"/api/projects/{sample.project}/stencils", files=files, data={"name": "Stripes"})
    stencil = {"image": made.json()["id"], "place": "ground", "metres": 8.0}
    with window(client, sample) as talk:
        for place in ([-12.0, 0.0, 3.0], [12.0, 0.0, -9.0]):
            stroke(talk, str(sample.channel_set), place, radius=14.0, stencil=stencil)
        held = talk.values[:65536, 0].reshape(256, 256)
    x = ((np.arange(256) + 0.5) / 256 * 96 - 48) % 8
    # Away from the edges of stripes, where the picture is bilinear.
    dark, light = np.abs(x - 2) < 1.2, np.abs(x - 6) < 1.2
    lit = held[128 - 8 : 128 + 8]
    columns = lit.max(axis=0) > 0
    first, second = (columns & dark).sum(), (columns & light).sum()
    assert min(first, second) == 0 and max(first, second) > 30


def test_splat_maps_are_looked_at_as_they_would_go_out_and_nothing_changes(client, db, sample):
    with window(client, sample) as talk:
        for channel, weight in ((0, 0.37), (2, 0.9)):
            on = {"channel_set": str(sample.channel_set), "channel": channel}
            talk.say({"type": "fill", "on": on, "fill": {"kind": "even", "weight": weight}})
            talk.until("saved")
        before = talk.values[:65536].copy()
        talk.say({"type": "look", "choice": {"bits": 4, "channels": 2}})
        talk.until("previewed")
        seen = talk.values[:65536] / FULL
        assert np.unique(seen[:, 0]) == pytest.approx([round(0.37 * 15) / 15], abs=1e-4)
        assert seen[:, 2].max() == 0, "a channel that does not go out"
        talk.say({"type": "look", "choice": {"bits": 4, "dither": True}})
        talk.until("previewed")
        dithered = talk.values[:65536, 0] / FULL
        assert len(np.unique(dithered)) == 2 and dithered.mean() == pytest.approx(0.37, abs=0.002)
        talk.say({"type": "end_preview"})
        talk.say({"type": "probe", "number": 1, "channel_set": str(sample.channel_set), "level": 0, "triangle": 0,
                  "barycentric": [1, 0, 0], "radius": 5, "reach": "ball", "facing_limit": 180})  # fmt: skip
        told = talk.until("core_sample")
        assert told["values"][str(sample.channel_set)][0] == pytest.approx(0.37, abs=1e-3)
        assert np.array_equal(talk.values[:65536], before)
    sizes = client.post(
        f"/api/surfaces/{sample.surface}/export/terrain/sizes", json={"splat": "raw", "bits": 4}
    ).json()
    assert {"file": "splat0.raw", "bytes": 256 * 256 * 2} in sizes


def test_the_overlap_lens_is_what_adding_up_would_have_too_much(client, db, sample):
    lens = {"kind": "overlap", "channel_set": str(sample.channel_set), "channels": 4}
    told = client.post(f"/api/surfaces/{sample.surface}/lens", json=lens).raise_for_status().json()
    assert told["compiled"]["channel_sets"] == [str(sample.channel_set)] and told["compiled"]["samples"] == 0
    from ashblend.core.blend.lenses import SetLens, lens_tree
    from ashblend.core.emit.numpy_reference import evaluate

    tree = lens_tree(SetLens.model_validate(lens), None, (), 0, 1, 0)
    weights = np.random.default_rng(0).random((50, 4)) * np.array([1, 0.5, 0.2, 0.7])
    value = evaluate({"value": tree.value}, {"weights0": weights}, {}, {})["value"][:, 0]
    wanted = np.clip(weights.sum(axis=1) - (1 - np.prod(1 - weights, axis=1)), 0, 1)
    assert np.abs(value - wanted).max() < 1e-12 and wanted.max() > 0.3


def ground_of(client, sample) -> np.ndarray:
    """Heights as a window that joins now sees them."""
    base = client.get(f"/api/surfaces/{sample.surface}/heights").content
    terrain = sample.mesh.terrain
    heights = np.frombuffer(base[-terrain.heights.nbytes :], "<f4").reshape(terrain.heights.shape).copy()
    with window(client, sample) as talk:
        for left, top, part in talk.ground:
            heights[top : top + part.shape[0], left : left + part.shape[1]] = part
    return heights


def test_moved_ground_goes_through_snapshots_jumps_and_copies(client, db, sample):
    from dataclasses import replace
    from uuid import UUID

    ground, url = ground_set(client, sample), f"/api/surfaces/{sample.surface}"
    states = [ground_of(client, sample)]
    with window(client, sample) as talk:
        for number in range(10):
            place = [-40.0 + 8 * number, float(hills()[32, 8 + 8 * number]), 0.0]
            stroke(talk, ground, place, act="add", target=0.05 * (number + 1), falloff="smooth")
        numbers = [s["number"] for s in client.get(f"{url}/history").json()["steps"]]
    states.append(ground_of(client, sample))
    assert not np.array_equal(*states)
    kept = client.post(f"{url}/snapshots", json={"name": "Banks"}).json()["id"]
    with window(client, sample) as talk:
        talk.say({"type": "jump", "number": 0})
        talk.until("saved")
    assert ground_of(client, sample).tobytes() == states[0].tobytes()
    with window(client, sample) as talk:
        talk.say({"type": "jump", "number": max(numbers)})
        talk.until("saved")
    assert ground_of(client, sample).tobytes() == states[1].tobytes()
    with window(client, sample) as talk:
        stroke(talk, ground, [30.0, float(hills()[32, 78]), 10.0], act="smooth")
    assert client.post(f"{url}/snapshots/{kept}/restore").status_code == 200
    assert ground_of(client, sample).tobytes() == states[1].tobytes()
    # A copy has the ground as it is, and what is done to it there stays there.
    copied = client.post(f"/api/projects/{sample.project}/copy", json={"name": "Twin"}).json()["id"]
    surfaces = client.get(f"/api/projects/{copied}").json()["surfaces"]
    twin = replace(sample, surface=UUID(next(s["id"] for s in surfaces if s["name"] == "ground")))
    assert ground_of(client, twin).tobytes() == states[1].tobytes()
    with window(client, twin) as talk:
        talk.say({"type": "start_empty", "channel_set": ground_set(client, twin)})
        talk.until("saved")
    assert ground_of(client, twin).tobytes() == states[0].tobytes()
    assert ground_of(client, sample).tobytes() == states[1].tobytes()


def test_a_stroke_on_the_ground_that_is_taken_back_while_painted_moves_it_back(client, db, sample):
    ground = ground_set(client, sample)
    with window(client, sample) as talk:
        on = {"channel_set": ground, "channel": 0}
        brush = {"radius": 9.0, "strength": 1, "target": 1, "falloff": "smooth", "reach": "skin"}
        talk.say({"type": "begin", "stroke": "s", "on": on, "brush": brush})
        place = {"position": [0, float(hills()[32, 48]), 0], "normal": [0, 1, 0]}
        talk.say({"type": "extend", "stroke": "s", "samples": [place]})
        talk.say({"type": "abandon", "stroke": "s"})
        talk.say({"type": "undo"})
        talk.until_any("refused", "saved")
    assert ground_of(client, sample).tobytes() == hills().tobytes()
