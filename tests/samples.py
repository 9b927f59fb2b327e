"""Small projects for store, server and browser tests."""

import io
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

import numpy as np
from fastapi.testclient import TestClient
from shapes import plane
from sqlalchemy.orm import Session

from ashblend.core.arrays import F32
from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.blend.layers.cover import CoverLayer
from ashblend.core.channels.channel import Channel
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.heights.npy import NPY
from ashblend.core.formats.images import write_png
from ashblend.core.formats.intake import take_in
from ashblend.core.formats.registry import read_mesh
from ashblend.core.materials.mapping import TileMapping
from ashblend.core.recipe.document import of_channel
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.store.blends import create_blend
from ashblend.store.database import Sessions
from ashblend.store.materials import create_material
from ashblend.store.projects import create_project
from ashblend.store.states import read_surface_mesh
from ashblend.store.surfaces import (
    NewChannelSet,
    channel_sets_of,
    create_surface,
    get_surface,
    read_channels,
)


@dataclass(frozen=True)
class Sample:
    project: UUID
    materials: tuple[UUID, UUID]
    surface: UUID
    channel_set: UUID
    blend: UUID
    mesh: Mesh


def plain_maps(colour: tuple[int, int, int], height: int) -> dict[str, bytes]:
    """A 64² material of one colour and one height."""
    return {
        "albedo": write_png(np.full((64, 64, 3), colour, np.uint8)),
        "height": write_png(np.full((64, 64), height * 257, np.uint16)),
    }


def small_terrain(client: TestClient, db: Sessions, heights: F32, **taking: Any) -> Sample:
    """A terrain brought in as a float file, beside the small project's plane. channel_set: of its cells."""
    sample = small_project(db)
    files = {"files": ("ground.npy", io.BytesIO(NPY.write(heights)))}
    looked = client.post("/api/heights", files=files).raise_for_status().json()
    body = {"file": looked["file"], "name": looked["name"], "taking": {"spacing": 1.0, **taking}}
    made = client.post(f"/api/projects/{sample.project}/terrains", json=body).raise_for_status().json()
    view = client.get(f"/api/surfaces/{made['id']}").raise_for_status().json()
    with db() as session:
        mesh = read_surface_mesh(session, get_surface(session, UUID(made["id"])))
    return replace(
        sample,
        surface=UUID(made["id"]),
        channel_set=UUID(view["channel_sets"][0]["id"]),
        blend=UUID(view["blend"]["id"]),
        mesh=mesh,
    )


def small_project(db: Sessions, mesh: Mesh | None = None) -> Sample:
    """A plane of 33² sites, dark ground, light cover on channel R."""
    mesh = mesh or plane(33, 2.0, uv=True)
    data = build_glb(mesh, [], "Plane")
    read = read_mesh("plane.glb", data)
    with db.begin() as session:
        project = create_project(session, "Test")
        dark = create_material(session, project.id, "Dark", plain_maps((40, 40, 40), 90)).id
        light = create_material(session, project.id, "Light", plain_maps((230, 225, 210), 160)).id
        intake = take_in(read, mesh_vertices(read))
        surface = create_surface(
            session,
            project.id,
            "Plane",
            "plane.glb",
            data,
            intake.facts,
            [NewChannelSet(s.document, s.channels) for s in intake.sets],
            read,
        )
        channel_set = channel_sets_of(session, surface.id)[0].id
        mapping = TileMapping(projection="uv", metres_per_tile=0.5)
        blend = create_blend(
            session,
            project.id,
            BlendDocument(
                ground=Ground(material=dark, mapping=mapping),
                layers=(
                    CoverLayer(
                        id="light",
                        name="Light",
                        material=light,
                        mapping=mapping,
                        mask=of_channel(channel_set, 0),
                    ),
                ),
            ),
        )
        surface.blend_id = blend.id
        return Sample(project.id, (dark, light), surface.id, channel_set, blend.id, mesh)


def stored_channels(session: Session, surface: UUID) -> dict[UUID, list[Channel]]:
    """What the database holds of a surface whose sets all lie on the vertices of level 0."""
    row = get_surface(session, surface)
    count = read_surface_mesh(session, row).vertex_count
    return read_channels(session, row, lambda _: count)
