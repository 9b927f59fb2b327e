"""Plans, groups, borders, sets, levels: done over HTTP, seen over the socket, undone byte for byte."""

import io
import json
from contextlib import contextmanager
from uuid import UUID

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image
from samples import small_project
from server.sockets import window
from shapes import plane, sphere, two_sheets

from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.images import write_png
from ashblend.core.formats.registry import read_mesh
from ashblend.core.sites.mesh import Group, Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.store.jobs import create_job, note_job
from ashblend.store.models import Job, Surface

LEFT, RIGHT = "left", "right"
RAMP = {"kind": "gradient", "begin": [0, 0, 0], "end": [2, 0, 0]}


def view(client, sample) -> dict:
    return client.get(f"/api/surfaces/{sample.surface}").json()


def planned(talk, client, path: str, **request) -> dict:
    """Ask for a plan and wait for it; the news of its end."""
    response = client.post(path, **request)
    assert response.status_code == 202, response.text
    while True:
        news = talk.until("job")
        if news["state"] not in ("waiting", "running"):
            assert news["id"] == response.json()["id"]
            return news


def plan(talk, client, sample, **wish) -> dict:
    return planned(talk, client, f"/api/surfaces/{sample.surface}/plans", json=wish)


def keep(talk, client, news) -> None:
    response = client.post(f"/api/plans/{news['id']}/keep")
    assert response.status_code == 200, response.text
    talk.until("reshaped")


@contextmanager
def two_groups(client, db, side: int = 9):
    """A plane in two halves along x, in a window."""
    mesh = plane(side, 2.0, uv=True)
    right = mesh.positions[mesh.triangles].mean(axis=1)[:, 0] > 1
    order = np.argsort(right, kind="stable")
    half = int((~right).sum())
    mesh = Mesh(
        mesh.positions,
        mesh.triangles[order],
        uvs=mesh.uvs,
        groups=(Group("left", 0, half), Group("right", half, len(order) - half)),
    )
    sample = small_project(db, mesh)
    with window(client, sample) as talk:
        yield sample, talk


def everything(client, sample) -> tuple:
    """What a window that joins now is sent, and what the surface is said to be."""
    with window(client, sample) as talk:
        values = {n: v.tobytes() for n, v in talk.sets.items()}
    seen = view(client, sample)
    facts = {k: seen["facts"][k] for k in ("vertices", "triangles", "groups", "seams")}
    sets = [(s["id"], s["sites"], s["document"]) for s in seen["channel_sets"]]
    geometry = client.get(f"/api/surfaces/{sample.surface}/geometry").content
    head = 4 + int.from_bytes(geometry[:4], "little")
    return values, facts, sets, geometry[head:]


def undo(talk, times: int = 1) -> None:
    for _ in range(times):
        talk.say({"type": "undo"})
        talk.until("saved")


def fill(talk, sample, fill: dict, channel: int = 0, channel_set=None, **more) -> dict:
    on = {"channel_set": str(channel_set or sample.channel_set), "channel": channel}
    talk.say({"type": "fill", "on": on, "fill": fill, **more})
    return talk.until("saved")


def test_refining_shows_the_count_first_interpolates_paint_and_can_be_undone(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        fill(talk, sample, RAMP)
        before = everything(client, sample)
        news = plan(talk, client, sample, kind="levels", levels=1)
        assert news["facts"]["vertices_before"] == 33**2 and news["facts"]["vertices_after"] == 65**2
        assert everything(client, sample) == before, "nothing changes until it is kept"
        keep(talk, client, news)
    seen = view(client, sample)
    assert seen["facts"]["vertices"] == 65**2
    with window(client, sample) as talk:
        assert len(talk.values) == 65**2
        out = client.get(
            f"/api/surfaces/{sample.surface}/export",
            params={"channel_set": str(sample.channel_set), "bits": "16"},
        )
        mesh = read_mesh("out.glb", out.content)
        np.testing.assert_allclose(mesh.colours[0].values[:, 0], mesh.positions[:, 0] / 2, atol=2e-5)
        undo(talk)
        talk.until("reshaped")
    assert everything(client, sample) == before
    with window(client, sample) as talk:
        talk.say({"type": "redo"})
        talk.until("reshaped")
    assert view(client, sample)["facts"]["vertices"] == 65**2


def test_an_area_is_refined_where_it_is_painted(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 0.5)], radius=0.2)
        painted = {"painted": {"channel_set": str(sample.channel_set), "channel": 0}}
        news = plan(talk, client, sample, kind="spacing", spacing=0.02, inside=painted)
        # A disc of 0.2 m at 2 cm is some 300 to 900 places more; the whole would be 10 000.
        assert 200 < news["facts"]["vertices_after"] - 33**2 < 2500
        keep(talk, client, news)
    with window(client, sample) as talk:
        assert talk.values[:, 0].max() > 0.7 * FULL
        nothing = {"painted": {"channel_set": str(sample.channel_set), "channel": 3}}
        response = client.post(
            f"/api/surfaces/{sample.surface}/plans",
            json={"kind": "spacing", "spacing": 0.02, "inside": nothing},
        )
        assert response.status_code == 409 and "No faces" in response.json()["problem"]


def test_refining_to_a_picture_saves_vertices_and_brings_the_mask_along(client, db):
    sample = small_project(db)
    x = np.arange(512)
    image = np.clip((x[None, :] - 256 + 40 * np.sin(x[:, None] / 60)) / 8 + 0.5, 0, 1)
    data = write_png((image * 255).astype(np.uint8))
    with window(client, sample) as talk:
        news = planned(
            talk,
            client,
            f"/api/surfaces/{sample.surface}/plans/picture",
            files={"file": ("mask.png", data)},
            params={
                "tolerance": 0.15,
                "finest": 0.004,
                "paint_set": str(sample.channel_set),
                "paint_channel": 1,
            },
        )
        facts = news["facts"]
        assert facts["worst"] <= 0.16 and facts["uniform_vertices"] >= 3 * facts["vertices_after"]
        assert facts["saved"] == facts["uniform_vertices"] - facts["vertices_after"]
        keep(talk, client, news)
    with window(client, sample) as talk:
        held = talk.values[:, 1] / FULL
        assert held.min() == 0 and held.max() == 1 and not talk.values[:, 0].any()
    wrong = client.post(
        f"/api/surfaces/{sample.surface}/plans/picture", files={"file": ("mask.png", b"no picture")}
    )
    assert wrong.status_code == 422 and "PNG or JPEG" in wrong.json()["problem"]
    never = client.post(
        f"/api/surfaces/{sample.surface}/plans/picture",
        files={"file": ("mask.png", data)},
        params={"tolerance": 0},
    )
    assert never.status_code == 422 and "Tolerance" in never.json()["problem"]


def test_a_job_can_be_stopped_and_leaves_nothing(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        before = everything(client, sample)
        started = client.post(f"/api/surfaces/{sample.surface}/plans", json={"kind": "unwrap"}).json()
        client.delete(f"/api/plans/{started['id']}")
        while talk.until("job")["state"] != "cancelled":
            pass
        assert client.post(f"/api/plans/{started['id']}/keep").status_code == 404
        assert everything(client, sample) == before
        news = plan(talk, client, sample, kind="levels", levels=6)
        assert news["state"] == "failed" and "at most" in news["problem"]


def test_work_that_a_restart_interrupted_is_begun_again_or_ended(client, db):
    """What was asked for is kept, with the revision of the mesh that it was asked of."""
    sample = small_project(db)
    with db.begin() as session:
        shape = session.get(Surface, sample.surface).shape
        wish = {"kind": "levels", "levels": 1}
        going_on = create_job(session, sample.surface, "Refine", wish, shape, None)
        from_another = create_job(session, sample.surface, "Refine", wish, shape + 7, None)
        note_job(session, going_on.id, "running", 0.4)
        idents = str(going_on.id), str(from_another.id)
    with window(client, sample) as talk:
        while (news := talk.until("job"))["state"] != "done":
            assert news["id"] == idents[0]
        assert news["id"] == idents[0] and news["facts"]["vertices_after"] == 65**2
        keep(talk, client, news)
    assert view(client, sample)["facts"]["vertices"] == 65**2
    with db() as session:
        row = session.get(Job, UUID(idents[1]))
        assert row.state not in ("waiting", "running") and row.problem == "The mesh has changed since."


def test_a_plan_from_an_older_mesh_is_refused(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        old = plan(talk, client, sample, kind="levels", levels=1)
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
        response = client.post(f"/api/plans/{old['id']}/keep")
        assert response.status_code == 409 and "has changed" in response.json()["problem"]


def test_a_hard_border_stops_the_gradient_and_its_reverse_is_the_identity(client, db):
    with two_groups(client, db) as (sample, talk):
        groups = f"/api/surfaces/{sample.surface}/groups"
        before = everything(client, sample)
        client.post(groups, json={"kind": "hard", "groups": [RIGHT], "on": True}).raise_for_status()
        talk.until("reshaped")
        hard = view(client, sample)
        assert hard["facts"]["vertices"] == 81 + 9
        assert [g["hard"] for g in hard["facts"]["groups"]] == [False, True], (
            "the side made for it is its own"
        )
        client.post(groups, json={"kind": "hard", "groups": [RIGHT], "on": False}).raise_for_status()
        talk.until("reshaped")
        assert everything(client, sample) == before
        undo(talk)
        talk.until("reshaped")
        right = int(hard["facts"]["groups"][1]["first"])
        fill(talk, sample, {"kind": "even"}, faces={"unit": "group", "picked": [right]})
        # Each vertex is full or empty, and 9 places are both.
        assert set(np.unique(talk.values[:, 0])) == {0, FULL}
        assert (talk.values[:, 0] == FULL).sum() == 45
        missing = client.post(groups, json={"kind": "hard", "groups": ["nowhere"], "on": True})
        assert missing.status_code == 409 and "nowhere" in missing.json()["problem"]


def test_whole_faces_with_a_hard_edge_split_on_demand_and_say_how_many(client, db):
    with two_groups(client, db) as (sample, talk):
        before = everything(client, sample)
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        faces = {"unit": "quad", "picked": [0], "hard": True}
        talk.say({"type": "fill", "on": on, "fill": {"kind": "even"}, "faces": faces})
        saved = talk.until("saved")
        assert "(+3 vertices)" in saved["label"], "a corner quad: its outer corner stays alone"
        talk.until("reshaped")
        with window(client, sample) as later:
            assert (later.values[:, 0] == FULL).sum() == 4 and len(later.values) == 84
        undo(talk)
        talk.until("reshaped")
        assert everything(client, sample) == before


def test_groups_are_made_named_merged_and_undone(client, db):
    sample = small_project(db, two_sheets())
    url = f"/api/surfaces/{sample.surface}/groups"

    def names() -> list[str]:
        return [g["name"] for g in view(client, sample)["facts"]["groups"]]

    before = everything(client, sample)
    with window(client, sample) as talk:
        edits = [
            {"kind": "by", "grouping": {"by": "part"}},
            {"kind": "rename", "group": "Part 1", "name": "Leaf"},
            {"kind": "faces", "name": "Tip", "faces": {"picked": [0], "unit": "quad"}},
            {"kind": "merge", "groups": ["Tip", "Part 2"], "name": "Rest"},
        ]
        for edit in edits:
            client.post(url, json=edit).raise_for_status()
            talk.until("reshaped")
        assert sorted(names()) == ["Leaf", "Rest"]
        taken = client.post(url, json={"kind": "rename", "group": "Leaf", "name": "Rest"})
        assert taken.status_code == 409
        undo(talk, len(edits))
    assert everything(client, sample) == before


def test_a_new_mesh_takes_the_paint_over_only_when_it_is_kept(client, db):
    sample = small_project(db)
    new = plane(50, 2.0, uv=True)
    new.positions[:, 1] += 0.004
    url = f"/api/surfaces/{sample.surface}/plans/replacement"
    with window(client, sample) as talk:
        fill(talk, sample, RAMP, channel=2)
        before = everything(client, sample)
        news = planned(talk, client, url, files={"files": ("new.glb", build_glb(new, [], "New"))})
        assert news["kind"] == "replacement"
        assert news["facts"]["worst"] == pytest.approx(0.004, abs=1e-4) and news["facts"]["turned"] == 0
        geometry = client.get(f"/api/plans/{news['id']}/geometry").content
        head = json.loads(geometry[4 : 4 + int.from_bytes(geometry[:4], "little")])
        assert "distance" in [a["name"] for a in head["arrays"]]
        assert len(client.get(f"/api/plans/{news['id']}/values").content) > 50 * 50 * 8
        client.delete(f"/api/plans/{news['id']}")
        assert everything(client, sample) == before, "the artist said no"
        keep(
            talk, client, planned(talk, client, url, files={"files": ("new.glb", build_glb(new, [], "New"))})
        )
    with window(client, sample) as talk:
        assert len(talk.values) == 2500
        np.testing.assert_allclose(talk.values[:, 2] / FULL, new.positions[:, 0] / 2, atol=2e-4)
        undo(talk)
    assert everything(client, sample) == before
    broken = client.post(url, files={"files": ("new.glb", b"glTF broken")})
    assert broken.status_code == 422 and everything(client, sample) == before


def test_levels_follow_every_stroke_until_they_are_touched_up(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        news = plan(talk, client, sample, kind="level", triangles=500)
        assert abs(news["facts"]["triangles_after"] - 500) < 30
        keep(talk, client, news)
    follower = next(s for s in view(client, sample)["channel_sets"] if s["sites"].get("level") == 1)
    assert follower["sites"]["follows"] == str(sample.channel_set)
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 1.0), (1.5, 1.0)], radius=0.5, strength=1)
        level = talk.sets[1]
        assert level[:, 0].max() > 0.8 * FULL and not level[:, 1].any()
        mesh = read_mesh(
            "level.ply",
            client.get(
                f"/api/surfaces/{sample.surface}/export",
                params={"channel_set": follower["id"], "kind": "ply", "bits": "16"},
            ).content,
        )
        assert mesh.vertex_count == len(level)
        # What lies on the level is what lies under it.
        from ashblend.core.prepare.carry import carry_over

        plain = plane(33, 2.0, uv=True)
        carry = carry_over(plain, mesh.positions, mesh_vertices(mesh).normals).lineage[0]
        expected = carry.apply(talk.sets[0][:, 0].astype(float))
        assert np.abs(expected - level[:, 0]).max() < 60
        # Touched up by hand it holds its own; below that, strokes still come through.
        talk.stroke(sample, [(1.0, 1.0)], channel_set=follower["id"], radius=0.2, target=0.0, strength=1)
        middle = np.argmin(np.linalg.norm(mesh.positions - [1, 0, 1], axis=1))
        assert talk.sets[1][middle, 0] < 0.1 * FULL and talk.sets[0][33 * 16 + 16, 0] > 0.8 * FULL
        own = talk.until("statistics")["channels"][follower["id"]][0]["own"]
        assert 0 < own < 0.5
        fill(talk, sample, {"kind": "lift"}, channel_set=follower["id"])
        assert talk.sets[1][middle, 0] > 0.7 * FULL, "the way back"
        undo(talk, 2)
        np.testing.assert_array_equal(talk.sets[1][:, 0] > 0, level[:, 0] > 0)
        client.delete(f"/api/surfaces/{sample.surface}/levels").raise_for_status()
        talk.until("reshaped")
    assert len(view(client, sample)["channel_sets"]) == 1
    assert client.delete(f"/api/surfaces/{sample.surface}/levels").status_code == 409


def test_a_level_comes_from_a_file_too(client, db):
    sample = small_project(db)
    coarse = build_glb(plane(5, 2.0, uv=True), [], "Coarse")
    with window(client, sample) as talk:
        fill(talk, sample, RAMP)
        news = planned(
            talk, client, f"/api/surfaces/{sample.surface}/plans/level", files={"files": ("c.glb", coarse)}
        )
        keep(talk, client, news)
    with window(client, sample) as talk:
        np.testing.assert_allclose(talk.sets[1][:, 0] / FULL, plane(5, 2.0).positions[:, 0] / 2, atol=1e-4)


def test_a_set_on_a_map_is_painted_undone_and_exported_like_any_other(client, db):
    sample = small_project(db)
    sites = {"kind": "texels", "size": 256, "uv": 0}
    with window(client, sample) as talk:
        talk.stroke(sample, [(1, 1)], radius=0.5)
        client.post(
            f"/api/surfaces/{sample.surface}/sets",
            json={"name": "Splat", "sites": sites, "copy_of": str(sample.channel_set), "bits": 8},
        ).raise_for_status()
        talk.until("reshaped")
    splat = view(client, sample)["channel_sets"][1]
    assert splat["sites"] == sites and splat["document"]["bits"] == 8
    with window(client, sample) as talk:
        texels = talk.sets[1]
        assert len(texels) == 256 * 256 and texels[:, 0].max() > 0.7 * FULL, "copied from the vertices"
        assert (texels % 257 == 0).all(), "made for eight bits"
        before = texels.copy()
        talk.stroke(
            sample, [(0.3, 0.3), (0.6, 0.3)], channel=1, channel_set=splat["id"], radius=0.1, strength=1
        )
        grid = talk.image(1)[..., 1]
        rows, columns = np.nonzero(grid > FULL // 2)
        assert abs(rows.mean() / 128 - 0.3) < 0.02 and abs(columns.mean() / 128 - 0.45) < 0.02
        out = client.get(
            f"/api/surfaces/{sample.surface}/export", params={"channel_set": splat["id"], "kind": "png"}
        )
        image = np.asarray(Image.open(io.BytesIO(out.content)))
        np.testing.assert_array_equal(image[..., 1], np.rint(grid / 257).astype(np.uint8))
        undo(talk)
        np.testing.assert_array_equal(talk.sets[1], before)
        wrong = client.get(
            f"/api/surfaces/{sample.surface}/export", params={"channel_set": splat["id"], "kind": "glb"}
        )
        assert wrong.status_code == 409 and "PNG" in wrong.json()["remedy"]
        # Refined, the map keeps its paint.
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
    with window(client, sample) as talk:
        np.testing.assert_array_equal(talk.sets[1], before)


def test_sets_are_added_and_removed_and_a_set_that_is_read_stays(client, db):
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}/sets"
    vertices = {"kind": "vertices", "level": 0}
    assert client.delete(f"{url}/{sample.channel_set}").json()["problem"] == "Light reads this set."
    with window(client, sample) as talk:
        client.post(url, json={"name": "More", "sites": vertices, "channels": 2}).raise_for_status()
        talk.until("reshaped")
    more = view(client, sample)["channel_sets"][1]
    assert len(more["document"]["channels"]) == 2
    with window(client, sample) as talk:
        talk.stroke(sample, [(1, 1)], channel=1, channel_set=more["id"])
    before = everything(client, sample)
    with window(client, sample) as talk:
        client.delete(f"{url}/{more['id']}").raise_for_status()
        talk.until("reshaped")
        assert len(view(client, sample)["channel_sets"]) == 1
        undo(talk)
    assert everything(client, sample) == before, "undo brings the set and its paint back"
    no_map = small_project(db, sphere(1))
    refused = client.post(
        f"/api/surfaces/{no_map.surface}/sets", json={"name": "S", "sites": {"kind": "texels", "size": 256}}
    )
    assert refused.status_code == 409 and "Unwrap" in refused.json()["remedy"]


def test_channels_are_mixed_between_sets_and_swapped(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        fill(talk, sample, RAMP, channel=0)
        fill(talk, sample, {"kind": "even", "weight": 0.5}, channel=1)
        source = {"channel_set": str(sample.channel_set), "channel": 0}
        ramp, half = talk.values[:, 0].copy(), talk.values[:, 1].copy()
        on = {"channel_set": str(sample.channel_set), "channel": 1}
        mix = {"kind": "mix", "mode": "multiply"}
        talk.say({"type": "fill", "on": on, "fill": mix, "source": source, "preview": True})
        talk.until("previewed")
        shown = talk.values[:, 1].copy()
        talk.say({"type": "end_preview"})
        fill(talk, sample, mix, channel=1, source=source)
        np.testing.assert_array_equal(talk.values[:, 1], shown, "the preview was right")
        np.testing.assert_allclose(shown / FULL, ramp / FULL * half / FULL, atol=2e-5)
        np.testing.assert_array_equal(talk.values[:, 0], ramp)
        talk.say({"type": "swap", "on": on, "other": source})
        talk.until("saved")
        np.testing.assert_array_equal(talk.values[:, 0], shown)
        np.testing.assert_array_equal(talk.values[:, 1], ramp)
        undo(talk, 2)
        np.testing.assert_array_equal(talk.values[:, 1], half)
        talk.say({"type": "fill", "on": on, "fill": mix})
        assert talk.until("refused")["remedy"] == "Choose one."


def test_a_preview_is_for_one_window_and_changes_nothing(client, db):
    sample = small_project(db)
    with window(client, sample) as one, window(client, sample) as two:
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        one.say({"type": "fill", "on": on, "fill": {"kind": "even"}, "preview": True})
        one.until("previewed")
        assert (one.values[:, 0] == FULL).all()
        two.stroke(sample, [(1, 1)], channel=1)
        assert not two.values[:, 0].any()
        one.say({"type": "end_preview"})
        one.until("saved")
        one.stroke(sample, [(1, 1)], channel=2)
        assert not one.values[:, 0].any()


def test_protection_by_group_and_by_mask(client, db):
    with two_groups(client, db, 33) as (sample, talk):
        talk.stroke(sample, [(1, 1)], protect={"groups": [LEFT]}, falloff="flat", radius=0.6, strength=1)
        x = plane(33, 2.0).positions[:, 0]
        assert not talk.values[x <= 1.0 + 1e-6, 0].any() and talk.values[x > 1.1, 0].any()
        mask = {"mask": {"channel_set": str(sample.channel_set), "channel": 0}}
        on = {"channel_set": str(sample.channel_set), "channel": 1}
        talk.say({"type": "fill", "on": on, "fill": {"kind": "even"}, "protect": {"groups": ["gone"]}})
        assert "gone" in talk.until("refused")["problem"]
        fill(talk, sample, {"kind": "even"}, channel=1, protect=mask)
        np.testing.assert_allclose(talk.values[:, 1] / FULL, 1 - talk.values[:, 0] / FULL, atol=2e-5)
        fill(talk, sample, {"kind": "even"}, channel=2, protect={**mask, "inverted": True})
        np.testing.assert_allclose(talk.values[:, 2] / FULL, talk.values[:, 0] / FULL, atol=2e-5)


def test_a_shared_sum_holds_for_strokes_and_fills(client, db):
    sample = small_project(db)
    seen = view(client, sample)["channel_sets"][0]
    document = {**seen["document"], "shared_sum": True}
    with window(client, sample) as talk:
        fill(talk, sample, {"kind": "even"}, channel=0)
        client.put(
            f"/api/channel-sets/{sample.channel_set}",
            json={"revision": seen["revision"], "document": document},
        ).raise_for_status()
        talk.stroke(sample, [(0.5, 0.5), (1.5, 1.5)], channel=1)
        fill(talk, sample, {"kind": "noise", "metres": 0.5}, channel=2)
        total = talk.values.astype(np.int64).sum(axis=1)
        np.testing.assert_array_equal(total, FULL)
        assert talk.values[:, 1].any() and talk.values[:, 2].any()
        before = talk.values.copy()
        undo(talk, 2)
        assert (talk.values[:, 0] == FULL).all() and not talk.values[:, 1:].any()
        for _ in range(2):
            talk.say({"type": "redo"})
            talk.until("saved")
        np.testing.assert_array_equal(talk.values, before)


def test_history_lists_steps_jumps_and_keeps_pictures(client, db):
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}"
    with window(client, sample) as talk:
        numbers = [talk.stroke(sample, [(0.3 * i, 1)])["number"] for i in range(1, 6)]
        last = talk.values.copy()
        picture = io.BytesIO()
        Image.new("RGB", (120, 75), (10, 20, 30)).save(picture, "webp")
        client.put(f"{url}/steps/{numbers[1]}/picture", content=picture.getvalue()).raise_for_status()
        listed = client.get(f"{url}/history").json()
        assert [s["number"] for s in listed["steps"]] == numbers
        assert [s["picture"] for s in listed["steps"]] == [False, True, False, False, False]
        assert client.get(f"{url}/steps/{numbers[1]}/picture").content == picture.getvalue()
        talk.say({"type": "jump", "number": numbers[1]})
        saved = talk.until("saved")
        assert saved["history"]["at"] == numbers[1]
        listed = client.get(f"{url}/history").json()["steps"]
        assert [s["in_force"] for s in listed] == [True, True, False, False, False]
        talk.say({"type": "jump", "number": 0})
        talk.until("saved")
        assert not talk.values.any()
        talk.say({"type": "jump", "number": numbers[4]})
        talk.until("saved")
        np.testing.assert_array_equal(talk.values, last)
        talk.say({"type": "jump", "number": 999})
        assert "no longer" in talk.until("refused")["problem"]
        for wrong in (b"", b"x" * 70_000, b"not a picture"):
            assert client.put(f"{url}/steps/1/picture", content=wrong).status_code == 409


def test_a_snapshot_is_compared_with_and_brought_back(client, db):
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}/snapshots"
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 1)])
        kept = everything(client, sample)
        before = talk.values.copy()
        snapshot = client.post(url, json={"name": "Before the tide"}).json()["id"]
        talk.stroke(sample, [(1.5, 1)], channel=1)
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
        changed = everything(client, sample)
        # The mesh is another one by now: to look at, the snapshot's paint is carried over.
        data = client.get(f"{url}/{snapshot}/values").content
        frame = data[4 : 4 + int.from_bytes(data[:4], "little")]
        values = np.frombuffer(frame, "<u2", 65 * 65, 24)
        assert np.abs(values.astype(int).max() - before[:, 0].astype(int).max()) < 20
        client.post(f"{url}/{snapshot}/restore").raise_for_status()
        talk.until("reshaped")
        assert everything(client, sample) == kept
        undo(talk)
        talk.until("reshaped")
        assert everything(client, sample) == changed
        assert (
            client.get(f"/api/surfaces/{sample.surface}/history").json()["snapshots"][0]["name"]
            == "Before the tide"
        )
        client.delete(f"{url}/{snapshot}").raise_for_status()
        assert client.get(f"{url}/{snapshot}/values").status_code == 404


def test_stencils_are_kept_and_brushed_with(client, db):
    sample = small_project(db)
    image = np.zeros((64, 64), np.uint8)
    image[:, 32:] = 255
    made = client.post(
        f"/api/projects/{sample.project}/stencils",
        data={"name": "Half"},
        files={"file": ("half.png", write_png(image))},
    ).json()
    assert client.get(f"/api/projects/{sample.project}").json()["stencils"] == [made]
    assert client.get(f"/api/stencils/{made['id']}/image").headers["content-type"] == "image/png"
    with window(client, sample) as talk:
        stencil = {"image": made["id"]}
        talk.stroke(sample, [(1, 1)], radius=0.6, strength=1, falloff="flat", stencil=stencil)
        x = plane(33, 2.0).positions[:, 0]
        assert talk.values[x < 0.95, 0].max() < 0.1 * FULL < talk.values[x > 1.1, 0].max()
        # A single dab that follows the stroke is laid down at pen-up.
        talk.stroke(
            sample, [(1, 1)], 1, radius=0.6, strength=1, falloff="flat", stencil={**stencil, "follow": True}
        )
        assert talk.values[:, 1].any()
    wrong = client.post(
        f"/api/projects/{sample.project}/stencils",
        data={"name": "No"},
        files={"file": ("n.png", b"nonsense")},
    )
    assert wrong.status_code == 422


steps_taken = st.lists(
    st.one_of(
        st.tuples(
            st.just("stroke"),
            st.integers(0, 3),
            st.sampled_from(["paint", "erase", "smooth", "smear", "add"]),
        ),
        st.tuples(st.just("fill"), st.integers(0, 3), st.sampled_from(["invert", "even", "noise", "smooth"])),
        st.tuples(st.just("copy"), st.integers(0, 3), st.integers(0, 3)),
        st.tuples(st.just("hard"), st.booleans(), st.sampled_from([LEFT, RIGHT])),
        st.tuples(st.just("refine"), st.just(0), st.just(0)),
    ),
    min_size=1,
    max_size=5,
)


@settings(max_examples=6, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(steps_taken)
def test_any_sequence_of_steps_followed_by_as_many_undos_gives_the_original_bytes(client, db, taken):
    with two_groups(client, db) as (sample, _):
        pass
    before = everything(client, sample)
    url = f"/api/surfaces/{sample.surface}"
    for kind, a, b in taken:
        # A new window each time, as a page loads anew when the mesh has changed.
        with window(client, sample) as talk:
            if kind == "stroke":
                talk.stroke(sample, [(0.4, 0.5), (1.5, 1.4)], channel=a, act=b, radius=0.5)
            elif kind == "fill":
                metres = {"metres": 0.3} if b in ("noise", "smooth") else {}
                fill(talk, sample, {"kind": b, **metres}, channel=a)
            elif kind == "copy":
                source = {"channel_set": str(sample.channel_set), "channel": b}
                fill(talk, sample, {"kind": "mix", "mode": "screen"}, channel=a, source=source)
            elif kind == "hard":
                edit = {"kind": "hard", "groups": [b], "on": a}
                client.post(f"{url}/groups", json=edit).raise_for_status()
                talk.until("reshaped")
            elif view(client, sample)["facts"]["vertices"] < 400:
                keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
    after = everything(client, sample)
    steps = client.get(f"{url}/history").json()["steps"]
    for kind in ("undo", "redo"):
        for _ in steps:
            with window(client, sample) as talk:
                talk.say({"type": kind})
                talk.until("saved")
        assert everything(client, sample) == (before if kind == "undo" else after)
    with window(client, sample) as talk:
        talk.say({"type": "jump", "number": 0})
        talk.until("saved")
    assert everything(client, sample) == before
