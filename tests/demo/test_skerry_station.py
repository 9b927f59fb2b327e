"""The sample: built once, sound, and showing what it is meant to show."""

import numpy as np
from sqlalchemy import func, select

from ashblend.core.blend import BlendDocument, compile_blend
from ashblend.core.formats import Limits
from ashblend.core.formats.sound import require_sound
from ashblend.core.sites import mesh_vertices
from ashblend.demo.skerry_station import build_skerry_station
from ashblend.demo.slipway import slipway
from ashblend.server.live.surface import LiveSurface
from ashblend.store.models import Project, Surface
from ashblend.store.projects import materials_of
from ashblend.store.surfaces import blend_of


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


def test_the_sample_is_built_once_and_shows_four_materials(db):
    with db.begin() as session:
        project = build_skerry_station(session)
    with db.begin() as session:
        assert build_skerry_station(session) is None
        assert session.scalar(select(func.count()).select_from(Project)) == 1
        assert [m.document["name"] for m in materials_of(session, project)] == [
            "Granite setts",
            "Lime mortar",
            "Barnacle crust",
            "Wrack",
        ]
        surface = session.scalars(select(Surface)).one()
        document = BlendDocument.model_validate(blend_of(session, surface.id).document)
    assert len(compile_blend(document).slots) == 4
    live = LiveSurface(db, surface.id)
    statistics = live.statistics(live.compiled())
    assert abs(sum(statistics.shares.values()) - 1) < 1e-9
    assert all(share > 0.02 for share in statistics.shares.values()), "every material is to be seen"
    [channels] = statistics.channels.values()
    assert channels[3].coverage == 0, "Rime is left for the artist"
