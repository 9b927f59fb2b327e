"""HTTP: import, documents, export, safety."""

import io
import json
from dataclasses import replace
from pathlib import Path
from uuid import UUID

import numpy as np
import pygltflib
import pytest
from core.test_formats import BROKEN, validator_errors
from glbs import rich_glb, split_glb
from samples import plain_maps, small_project, stored_channels
from server.sockets import window
from shapes import plane
from sqlalchemy import func, select

from ashblend.core.blend import drawn
from ashblend.core.blend.compile import compile_blend
from ashblend.core.formats import registry
from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.images import write_png
from ashblend.core.formats.ply import write_ply
from ashblend.launch.describe import description
from ashblend.server.app import create_app
from ashblend.server.settings import Settings
from ashblend.store.models import Blob, Surface

WEB = Path(__file__).parents[2] / "web"


def upload(client, project, name: str, data: bytes):
    looked = client.post("/api/meshes", files={"files": (name, io.BytesIO(data))})
    if looked.status_code != 201:
        return looked
    found = looked.json()
    body = {"file": found["file"], "name": found["name"], "placing": found["guess"]}
    return client.post(f"/api/projects/{project}/surfaces", json=body)


def test_a_project_from_nothing(client):
    assert client.get("/api/projects").json() == []
    project = client.post("/api/projects", json={"name": "  Harbour "}).json()
    assert project["name"] == "Harbour"
    refused = upload(client, project["id"], "a.glb", rich_glb())
    assert refused.status_code == 409 and "material" in refused.json()["problem"]
    maps = plain_maps((90, 80, 70), 100)
    made = client.post(
        f"/api/projects/{project['id']}/materials",
        data={"name": "Silt", "roles": list(maps)},
        files=[("files", (f"{role}.png", data)) for role, data in maps.items()],
    )
    assert made.status_code == 201 and made.json()["maps"] == ["albedo", "height"]
    imported = upload(client, project["id"], "slip.way.glb", rich_glb())
    assert imported.status_code == 201 and imported.json()["name"] == "slip.way"
    view = client.get(f"/api/surfaces/{imported.json()['id']}").json()
    assert [s["document"]["name"] for s in view["channel_sets"]] == ["COLOR_0", "COLOR_1", "COLOR_2"]
    assert view["blend"]["compiled"]["samples"] == 6
    client.delete(f"/api/projects/{project['id']}").raise_for_status()
    assert client.get(f"/api/surfaces/{imported.json()['id']}").status_code == 404


@pytest.mark.parametrize("name", sorted(BROKEN))
def test_a_broken_file_is_explained_and_nothing_is_kept(client, db, name):
    sample = small_project(db)
    with db() as session:
        before = [session.scalar(select(func.count()).select_from(t)) for t in (Surface, Blob)]
    answer = upload(client, sample.project, name, BROKEN[name][0])
    assert answer.status_code == 422
    assert answer.json()["problem"] and answer.json()["remedy"]
    with db() as session:
        assert [session.scalar(select(func.count()).select_from(t)) for t in (Surface, Blob)] == before


def test_a_file_past_the_limit_is_refused(database, db):
    from fastapi.testclient import TestClient

    sample = small_project(db)
    app = create_app(Settings(database_url=database, file_bytes=1000))
    with TestClient(app, base_url="http://127.0.0.1:8000") as client:
        answer = upload(client, sample.project, "a.glb", rich_glb())
        assert answer.status_code == 413 and "at most" in answer.json()["problem"]


@pytest.mark.parametrize(
    ("roles", "files"),
    [
        (["albedo"], [b"not a picture"]),
        (["height"], [write_png(np.zeros((4, 4), np.uint8))]),
        (["albedo", "albedo"], [write_png(np.zeros((4, 4, 3), np.uint8))] * 2),
        (["albedo", "shininess"], [write_png(np.zeros((4, 4, 3), np.uint8))] * 2),
        (["albedo"], [write_png(np.zeros((4, 4, 3), np.uint8))[:40]]),
    ],
)
def test_bad_maps_are_refused(client, db, roles, files):
    sample = small_project(db)
    answer = client.post(
        f"/api/projects/{sample.project}/materials",
        data={"name": "Bad", "roles": roles},
        files=[("files", ("a.png", data)) for data in files],
    )
    assert answer.status_code == 422 and answer.json()["problem"]
    assert len(client.get(f"/api/projects/{sample.project}").json()["materials"]) == 2


def test_stale_documents_are_refused_and_nothing_is_merged(client, db):
    sample = small_project(db)
    view = client.get(f"/api/surfaces/{sample.surface}").json()
    for path, document in (
        (f"/api/blends/{sample.blend}", view["blend"]["document"]),
        (f"/api/channel-sets/{sample.channel_set}", view["channel_sets"][0]["document"]),
    ):
        mine, theirs = {**document, "name": "Mine"}, {**document, "name": "Theirs"}
        assert client.put(path, json={"revision": 1, "document": mine}).json()["revision"] == 2
        stale = client.put(path, json={"revision": 1, "document": theirs})
        assert stale.status_code == 409 and stale.json()["kept"] == 2
        assert client.put(path, json={"revision": 2, "document": theirs}).status_code == 200


def test_other_windows_hear_of_a_changed_blend_and_undercoat(client, db):
    sample = small_project(db)
    view = client.get(f"/api/surfaces/{sample.surface}").json()
    with window(client, sample) as one:
        blend = view["blend"]["document"]
        blend["layers"][0]["visible"] = False
        answer = client.put(f"/api/blends/{sample.blend}", json={"revision": 1, "document": blend}).json()
        assert answer["compiled"]["samples"] == 2
        assert answer["compiled"]["structure"] != view["blend"]["compiled"]["structure"]
        assert one.until("document") == {
            "type": "document",
            "kind": "blend",
            "id": str(sample.blend),
            "revision": 2,
        }
        document = view["channel_sets"][0]["document"]
        document["channels"][3]["undercoat"]["value"] = 0.5
        client.put(f"/api/channel-sets/{sample.channel_set}", json={"revision": 1, "document": document})
        one.until("document")
        assert (one.values[:, 3] == 32768).all()


def test_an_edit_is_compiled_once_whoever_asks_for_it(client, db, monkeypatch):
    """The window that made it, one that was told of it, one that opens, a probe, and the statistics."""
    sample = small_project(db)
    compiled = []
    monkeypatch.setattr(
        drawn, "compile_blend", lambda *given: compiled.append(given) or compile_blend(*given)
    )
    with window(client, sample) as one:
        document = client.get(f"/api/surfaces/{sample.surface}").json()["blend"]["document"]
        document["layers"][0] |= {"name": "Only here", "bite": -0.37}
        compiled.clear()
        client.put(f"/api/blends/{sample.blend}", json={"revision": 1, "document": document})
        one.until("document")
        for way in ("", "/blend"):
            assert client.get(f"/api/surfaces/{sample.surface}{way}").status_code == 200
        # Shares of layers are told by the statistics.
        one.until("statistics")
        assert len(compiled) == 1


def test_a_blend_may_not_read_other_surfaces_or_missing_materials(client, db):
    sample, other = small_project(db), small_project(db)
    document = client.get(f"/api/surfaces/{sample.surface}").json()["blend"]["document"]
    path = f"/api/blends/{sample.blend}"
    foreign = json.loads(json.dumps(document))
    foreign["layers"][0]["mask"]["terms"][0]["source"]["channel_set"] = str(other.channel_set)
    refused = client.put(path, json={"revision": 1, "document": foreign})
    assert refused.status_code == 409 and "not on this surface" in refused.json()["problem"]
    missing = json.loads(json.dumps(document))
    missing["ground"]["material"] = str(other.surface)
    refused = client.put(path, json={"revision": 1, "document": missing})
    assert refused.status_code == 409 and refused.json()["remedy"] == "Choose another material."
    invalid = json.loads(json.dumps(document))
    invalid["layers"][0]["bite"] = 99
    answer = client.put(path, json={"revision": 1, "document": invalid})
    assert answer.status_code == 422 and "bite" in answer.json()["problem"]


def test_values_alone_never_change_the_structure(client, db):
    sample = small_project(db)
    view = client.get(f"/api/surfaces/{sample.surface}").json()["blend"]
    document = view["document"]
    document["layers"][0].update(bite=-2, softness=0.7, opacity=0.3)
    answer = client.put(f"/api/blends/{sample.blend}", json={"revision": 1, "document": document}).json()
    assert answer["compiled"]["structure"] == view["compiled"]["structure"]


def test_a_painted_glb_goes_out_with_everything_else_as_it_came(client, db):
    sample = small_project(db)
    project = client.get(f"/api/projects/{sample.project}").json()
    original = rich_glb(seed=4)
    surface = upload(client, project["id"], "rich.glb", original).json()["id"]
    view = client.get(f"/api/surfaces/{surface}").json()
    first = view["channel_sets"][0]["id"]
    for attribute, name in (("mask", "_MASK0"), ("colour", "COLOR_0")):
        for bits, component in (("8", 5121), ("16", 5123), ("float", 5126)):
            out = client.get(
                f"/api/surfaces/{surface}/export",
                params={"channel_set": first, "kind": "glb", "attribute": attribute, "bits": bits},
            )
            assert out.headers["content-disposition"].endswith("rich.glb")
            assert validator_errors([out.content]) == [[]]
            assert split_glb(out.content)[1].startswith(split_glb(original)[1])
            gltf = pygltflib.GLTF2().load_from_bytes(out.content)
            primitive = gltf.meshes[0].primitives[0]
            accessor = gltf.accessors[getattr(primitive.attributes, name)]
            assert accessor.componentType == component and accessor.count == 40
            if bits == "8":
                where = gltf.bufferViews[accessor.bufferView].byteOffset
                values = np.frombuffer(gltf.binary_blob(), np.uint8, 160, where).reshape(40, 4)
                document, binary = split_glb(original)
                old = document["accessors"][document["meshes"][0]["primitives"][0]["attributes"]["COLOR_0"]]
                start = document["bufferViews"][old["bufferView"]]["byteOffset"]
                np.testing.assert_array_equal(
                    values, np.frombuffer(binary, np.uint8, 160, start).reshape(40, 4)
                )


def test_a_file_is_read_once_on_its_way_in_and_never_again(client, db, monkeypatch):
    """Looked at, taken in, opened, told how it would go out, exported; and after a change that makes it a new file."""
    sample = small_project(db)
    read = []
    glb = next(f for f in registry.FORMATS if f.ending == ".glb")
    counting = replace(glb, read=lambda *given: read.append(1) or glb.read(*given))
    monkeypatch.setattr(registry, "FORMATS", [counting if f is glb else f for f in registry.FORMATS])
    original = split_glb(rich_glb(seed=7))[1]
    surface = upload(client, sample.project, "rich.glb", rich_glb(seed=7)).json()["id"]
    [found] = client.get(f"/api/surfaces/{surface}").json()["channel_sets"][:1]
    wanted = {"channel_set": found["id"], "kind": "glb", "attribute": "mask"}

    def outlook() -> str | None:
        return client.get(f"/api/surfaces/{surface}/export/outlook").json()["levels"][0]["new_because"]

    out = client.get(f"/api/surfaces/{surface}/export", params=wanted).content
    assert outlook() is None and split_glb(out)[1].startswith(original)
    client.post(f"/api/surfaces/{surface}/placing", json={"metres_per_unit": 2.0}).raise_for_status()
    out = client.get(f"/api/surfaces/{surface}/export", params=wanted).content
    assert outlook() == "the vertices lie elsewhere than in your file"
    assert not split_glb(out)[1].startswith(original)
    assert len(read) == 1


@pytest.mark.parametrize("kind", ["glb", "ply", "ply-ascii", "obj"])
def test_every_format_goes_out_and_comes_back_in(client, db, kind):
    sample = small_project(db)
    with window(client, sample) as one:
        one.stroke(sample, [(0.5, 0.5), (1.5, 1.2)])
        values = one.values
    out = client.get(
        f"/api/surfaces/{sample.surface}/export",
        params={"channel_set": str(sample.channel_set), "kind": kind, "bits": "16"},
    )
    again = upload(client, sample.project, f"back.{kind.split('-')[0]}", out.content).json()["id"]
    with db() as session:
        [channels] = stored_channels(session, UUID(again)).values()
    back = np.stack([c.values() for c in channels], axis=1)
    wide = 3 if kind == "obj" else 4
    np.testing.assert_array_equal(back[:, :wide], values[:, :wide])


def test_an_all_white_mesh_can_start_empty(client, db):
    sample = small_project(db)
    mesh = plane(9, 1.0)
    data = write_ply(mesh, ExportAttribute("rgba", np.ones((81, 4), np.float32), 8))
    imported = upload(client, sample.project, "white.ply", data).json()
    assert len(imported["all_white"]) == 1
    with client.websocket_connect(f"ws://127.0.0.1:8000/api/surfaces/{imported['id']}/live") as socket:
        from server.sockets import Talk

        talk = Talk(socket)
        talk.until("ready")
        assert (talk.values == 65535).all()
        talk.say({"type": "start_empty", "channel_set": imported["all_white"][0]})
        talk.until("saved")
        assert not talk.values.any()
        talk.say({"type": "undo"})
        talk.until("saved")
        assert (talk.values == 65535).all()


def test_geometry_has_everything_the_viewport_needs(client, db):
    sample = small_project(db)
    data = client.get(f"/api/surfaces/{sample.surface}/geometry").content
    length = int.from_bytes(data[:4], "little")
    head = json.loads(data[4 : 4 + length])
    arrays = {
        e["name"]: np.frombuffer(
            data, f"<{e['kind']}", e["count"] * e["width"], 4 + length + e["offset"]
        ).reshape(e["count"], e["width"])
        for e in head["arrays"]
    }
    # Counted from the surface's origin, which lies in its middle.
    assert [head["facts"][f"origin_{axis}"] for axis in "xyz"] == [1, 0, 1]
    np.testing.assert_array_equal(arrays["position"] + np.array([1, 0, 1]), sample.mesh.positions)
    np.testing.assert_array_equal(arrays["triangles"], sample.mesh.triangles)
    assert head["facts"]["metres_per_uv"] == pytest.approx(2)
    # u runs along x and v along z: seen from above, up the image is −z and x to the right.
    np.testing.assert_allclose(arrays["tangent"], np.tile([1, 0, 0, 1], (1089, 1)), atol=1e-6)
    bitangent = np.cross(arrays["normal"], arrays["tangent"][:, :3]) * arrays["tangent"][:, 3:]
    np.testing.assert_allclose(bitangent, np.tile([0, 0, -1], (1089, 1)), atol=1e-6)


def test_packs_and_pictures(client, db):
    sample = small_project(db)
    pack = client.get(f"/api/materials/{sample.materials[1]}/packs/surface", params={"size": 64})
    texels = np.frombuffer(pack.content, np.uint8).reshape(64, 64, 4)
    assert (texels == [230, 225, 210, 160]).all() and "immutable" in pack.headers["cache-control"]
    assert (
        client.get(f"/api/materials/{sample.materials[1]}/packs/surface", params={"size": 99999}).status_code
        == 422
    )
    assert client.get(f"/api/materials/{sample.materials[0]}/picture").content.startswith(b"\x89PNG")


# Safety


@pytest.mark.parametrize("host", ["evil.example", "127.0.0.1.evil.example:8000", "", "10.0.0.7:8000"])
def test_other_hosts_are_refused(client, host):
    answer = client.get("/api/projects", headers={"host": host})
    assert answer.status_code == 403 and "loopback" in answer.json()["problem"]


@pytest.mark.parametrize("host", ["127.0.0.1:8000", "localhost:9", "[::1]:8000", "localhost"])
def test_loopback_names_are_served(client, host):
    assert client.get("/api/projects", headers={"host": host}).status_code == 200


@pytest.mark.parametrize(
    "origin", ["http://evil.example", "null", "https://127.0.0.1:8000", "http://127.0.0.1:8001"]
)
def test_other_origins_are_refused(client, origin):
    assert client.post("/api/projects", json={"name": "x"}, headers={"origin": origin}).status_code == 403
    assert client.get("/api/projects").json() == []


def test_pages_carry_a_strict_policy(client):
    answer = client.get("/")
    policy = answer.headers["content-security-policy"]
    assert "default-src 'none'" in policy and "unsafe" not in policy and "http" not in policy
    assert client.get("/api/none").status_code == 404
    assert client.get("/surface/00000000-0000-0000-0000-000000000000").text == answer.text
    for outside in ("/assets/..%2f..%2f..%2fpyproject.toml", "/..%2f..%2fpyproject.toml", "/assets/none.js"):
        assert "[project]" not in client.get(outside).text
    assert client.get("/assets/none.js").status_code == 404


def test_the_client_is_generated_from_the_servers_own_description():
    assert (WEB / "openapi.json").read_text() == description(), "run ./ash client"


def test_built_meshes_pass_through(client, db):
    """A mesh without any colours gets one empty set of four."""
    sample = small_project(db)
    surface = upload(client, sample.project, "p.glb", build_glb(plane(5, 1.0), [], "P")).json()["id"]
    view = client.get(f"/api/surfaces/{surface}").json()
    assert [c["name"] for c in view["channel_sets"][0]["document"]["channels"]] == [
        f"Channel {x}" for x in "RGBA"
    ]


def test_a_masks_number_is_its_sets_place_whatever_else_goes_out(client, db):
    """What _MASK1 holds is the same in every file, and the file says what it is."""
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}"
    for name in ("Damp", "Wear"):
        new = {"name": name, "sites": {"kind": "vertices"}}
        assert client.post(f"{url}/sets", json=new).status_code == 201
    views = client.get(url).json()["channel_sets"]
    first, damp, wear = (view["id"] for view in views)

    def went_out(*chosen, attribute="mask") -> dict[str, list]:
        params = [("channel_set", ident) for ident in chosen] + [("attribute", attribute)]
        out = client.get(f"{url}/export", params=params)
        assert out.status_code == 200 and validator_errors([out.content]) == [[]]
        document = split_glb(out.content)[0]
        [mesh] = document["meshes"]
        held = set(mesh["primitives"][0]["attributes"])
        told = {t["attribute"]: t["name"] for t in mesh["extras"]["channel_sets"]}
        assert set(told) == {a for a in held if a.startswith(("_MASK", "COLOR_"))}
        assert all(len(t["channels"]) in range(1, 5) for t in mesh["extras"]["channel_sets"])
        return told

    own = views[0]["document"]["name"]
    assert went_out(wear, first, damp) == {"_MASK0": own, "_MASK1": "Damp", "_MASK2": "Wear"}
    assert went_out(damp) == {"_MASK1": "Damp"} and went_out(wear, first) == {"_MASK0": own, "_MASK2": "Wear"}
    # Colours have no gaps, and the same order.
    assert went_out(wear, damp, attribute="colour") == {"COLOR_0": "Damp", "COLOR_1": "Wear"}
    # Another order is a document's: it is kept, can be undone and stays over adding and removing.
    for view, place in zip(views, (2, 0, 1), strict=True):
        document = {**view["document"], "place": place}
        body = {"revision": view["revision"], "document": document}
        assert client.put(f"/api/channel-sets/{view['id']}", json=body).status_code == 200
    assert went_out(first, damp) == {"_MASK2": own, "_MASK0": "Damp"}
    outlook = client.get(f"{url}/export/outlook").json()["levels"][0]
    assert outlook["sets"] == [damp, wear, first] and outlook["read"] == [first]


def test_who_reads_a_channel_is_told_of_masks_tints_gradients_and_drives(client, db):
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}"
    other = client.post(f"{url}/sets", json={"name": "More", "sites": {"kind": "vertices"}})
    assert other.status_code == 201
    more = client.get(url).json()["channel_sets"][1]["id"]
    view = client.get(url).json()["blend"]
    document = view["document"]

    def reads(channel, **rest):
        source = {"kind": "channel", "channel_set": more, "channel": channel}
        return {"terms": [{"source": source, **rest}]}

    along = {"kind": "gradient", "along": reads(3), "stops": [[0, 0, 0, 0], [1, 1, 1, 1]]}
    even = {"terms": [{"source": {"kind": "constant", "value": 1}}]}
    document["layers"] += [
        {
            "id": "t1",
            "name": "Stain",
            "kind": "tint",
            "mask": even,
            "colouring": {"kind": "channels", "channel_set": more},
        },
        {"id": "t2", "name": "Fade", "kind": "tint", "mask": reads(0, on=False), "colouring": along},
    ]
    document["drives"] = [{"name": "Gloss", "moves": "roughness", "by": reads(2)}]
    answer = client.put(
        f"/api/blends/{sample.blend}", json={"revision": view["revision"], "document": document}
    )
    found = [r for r in answer.json()["compiled"]["readings"] if r["channel_set"] == more]
    assert [(r["name"], r["channel"]) for r in found] == [
        ("Stain", 0), ("Stain", 1), ("Stain", 2), ("Fade", 3), ("Gloss", 2),
    ]  # fmt: skip
    # A set that is read by anything, a drive too, stays.
    refused = client.delete(f"{url}/sets/{more}")
    assert refused.status_code == 409 and "Stain, Fade, Gloss read this set" in refused.json()["problem"]
