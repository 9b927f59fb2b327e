"""The sample: built once, sound, and showing what it is meant to show."""

import io

import numpy as np
from PIL import Image
from sqlalchemy import func, select

from ashblend.core.blend.compile import compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.formats.errors import Limits
from ashblend.core.formats.sound import require_sound
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.surface.undercoat import measures_of
from ashblend.demo.mooring_post import mooring_post
from ashblend.demo.sea_thrift import sea_thrift
from ashblend.demo.skerry_station import build_skerry_station
from ashblend.demo.slipway import slipway
from ashblend.server.live.room import statistics
from ashblend.session.recalling import at_hand
from ashblend.session.surface import OpenSurface
from ashblend.store.blends import blend_of
from ashblend.store.lights import kept_lights, sight_of
from ashblend.store.models import Project, Surface
from ashblend.store.projects import materials_of
from ashblend.store.snapshots import get_last_view
from ashblend.store.stencils import stencils_of


def test_the_slipway_is_sound():
    mesh = slipway()
    sites = mesh_vertices(mesh)
    assert 55_000 < mesh.vertex_count < 65_000
    assert [g.name for g in mesh.groups] == ["deck", "kerb", "wall", "broken ends"]
    assert sum(g.count for g in mesh.groups) == len(mesh.triangles)
    assert require_sound(mesh, Limits()).notes == (), "no triangle without area"
    assert sites.weld.point_count < mesh.vertex_count, "hard edges are split and welded"
    # The file's normals agree with the winding, except on the torn ends' smallest facets.
    corners = mesh.positions[mesh.triangles].astype(float)
    facing = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    agree = (facing * mesh.normals[mesh.triangles[:, 0]]).sum(axis=1) > 0
    assert agree[: -mesh.groups[3].count].all() and agree.mean() > 0.98
    # Connected along its parts: one walk over neighbours reaches every point.
    offsets, neighbours = sites.neighbours()
    seen = np.zeros(sites.weld.point_count, bool)
    front = np.array([0])
    while front.size:
        seen[front] = True
        around = np.concatenate([neighbours[offsets[p] : offsets[p + 1]] for p in front])
        front = np.unique(around[~seen[around]])
    assert seen.all()


def test_the_sample_is_built_once_and_shows_six_materials(station):
    with station.begin() as session:
        project = session.scalars(select(Project.id)).one()
        assert build_skerry_station(session) is None
        assert session.scalar(select(func.count()).select_from(Project)) == 1
        assert [m.document["name"] for m in materials_of(session, project)] == [
            "Plain clay",
            "Granite setts",
            "Lime mortar",
            "Barnacle crust",
            "Wrack",
            "Tarred timber",
            "Salt rime",
            "Heath",
            "Silt",
            "Shingle",
            "Lichen rock",
        ]
        assert [s.name for s in stencils_of(session, project)] == ["Chips", "Speckle", "Drips"]
        surface = session.scalars(select(Surface).where(Surface.name == "Slipway")).one()
        document = BlendDocument.model_validate(blend_of(session, surface.id).document)
    assert len(compile_blend(document).slots) == 6
    assert {layer.kind for layer in document.layers} == {"cover", "film"}
    live = OpenSurface(station, surface.id)
    told = statistics(live, live.blend())
    assert abs(sum(told.shares.values()) - 1) < 1e-9
    assert all(share > 0.01 for share in told.shares.values()), "every material is to be seen"
    [channels] = told.channels.values()
    assert channels[3].coverage == 0, "Rime is left for the artist"


def test_the_mooring_post_has_three_levels_and_too_few_vertices(station):
    for level, most in ((0, 160), (1, 90), (2, 40)):
        mesh = mooring_post(level)
        assert mesh.vertex_count <= most
        assert require_sound(mesh, Limits()).notes == ()
        corners = mesh.positions[mesh.triangles].astype(float)
        facing = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        outward = mesh.normals[mesh.triangles].mean(axis=1)
        assert (np.einsum("ij,ij->i", facing, outward) > 0).all(), "wound outward"
        assert mesh.uvs[0].min() >= 0 and mesh.uvs[0].max() <= 1
    with station.begin() as session:
        post = session.scalars(select(Surface).where(Surface.name == "Mooring post")).one()
        assert [level["name"] for level in post.facts["levels"]] == ["Level 1", "Level 2"]
    live = OpenSurface(station, post.id)
    followers = [s for s in live.sets.values() if s.follows]
    assert [s.level for s in followers] == [1, 2]
    for follower in followers:
        # Weed is full at the foot and gone at the head on every level.
        weed, y = follower.weights(0), follower.sites.positions[:, 1]
        assert weed[y < 0.1].min() > 0.95 and weed[y > 1.5].max() < 0.05
        assert not follower.channels[0].cover.any(), "carried down, not painted"


def test_the_tufts_root_stays_still(station):
    mesh = sea_thrift()
    assert require_sound(mesh, Limits()).notes == ()
    assert sum(g.count for g in mesh.groups) == len(mesh.triangles)
    with station.begin() as session:
        tuft = session.scalars(select(Surface).where(Surface.name == "Sea-thrift tuft")).one()
    live = OpenSurface(station, tuft.id)
    [masks] = live.sets.values()
    sway = masks.weights(0)
    assert sway[mesh.positions[:, 1] < 0.02].max() == 0 and sway.max() > 0.95
    assert len(np.unique(masks.weights(1))) > 30, "leaves do not move as one"
    # Heads stand above the cushion, and nothing but heads is pink; no texture is read but the rime's.
    y, heads = mesh.positions[:, 1], masks.weights(3) == 1
    assert heads.any() and y[heads].min() > 0.12 and [g.name for g in mesh.groups][-1] == "heads"
    with station.begin() as session:
        document = BlendDocument.model_validate(blend_of(session, tuft.id).document)
    assert compile_blend(document).slots == ("/layers/3/material",)


def test_no_undercoat_of_the_sample_is_stale(station):
    """Measures that the sample was built with are those that it would have now."""
    with station.begin() as session:
        surfaces = {row.name: row.id for row in session.scalars(select(Surface))}
    measured = 0
    for name, ident in surfaces.items():
        live = OpenSurface(station, ident)
        for found in statistics(live, live.blend()).channels.values():
            assert not any(channel.stale for channel in found), name
        for held in live.sets.values():
            undercoats = [c.undercoat for c in held.document.channels if c.undercoat.kind == "measured"]
            measured += len(undercoats)
            # So that a first ramp that is dragged measures nothing.
            assert all(at_hand(live, held, m) for u in undercoats for m in measures_of(u.recipe)), name
    assert measured >= 3 + 3 + 2 + 5


def test_every_sample_has_a_first_view_a_light_of_its_own_and_a_picture_to_find_it_by(station):
    """So that a first visit of the start page shows four pictures, and each opens as it was composed."""
    with station.begin() as session:
        surfaces = session.scalars(select(Surface)).all()
        assert len(surfaces) == 4
        kept = kept_lights(session, surfaces[0].project_id)
        assert {row.document["sky"] for row in kept} == {"clear", "low sun", "overcast", "lamp"}
        for surface in surfaces:
            sight = sight_of(session, surface.id)
            assert sight.stand is not None and sight.light.shadows
            shown = np.asarray(Image.open(io.BytesIO(get_last_view(session, surface.id))).convert("L"), float)
            assert shown.shape == (200, 320), surface.name
            # Neither a black box nor a grey one: light and dark, and the middle is not the rim.
            assert np.ptp(np.quantile(shown, [0.02, 0.98])) > 60 and 50 < shown.mean() < 200, surface.name
            assert shown[40:160, 80:240].std() > 15, surface.name
