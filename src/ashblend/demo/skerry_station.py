"""Puts the sample project into an empty database, once."""

from uuid import UUID

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.core.arrays import F32, F64
from ashblend.core.blend import BlendDocument, ChannelMask, CoverLayer, Ground, Mapping
from ashblend.core.channels import (
    Channel,
    ChannelDocument,
    ChannelSetDocument,
    channel_of_values,
    empty_channel,
)
from ashblend.core.formats import build_glb, read_mesh
from ashblend.core.formats.images import write_png
from ashblend.core.formats.intake import take_in
from ashblend.core.materials import TextureSet
from ashblend.core.sites import Mesh, mesh_vertices
from ashblend.demo.materials import MATERIALS
from ashblend.demo.materials.patterns import smoothstep
from ashblend.demo.slipway import TIDE, ripple, slipway
from ashblend.store.materials import create_material
from ashblend.store.models import Project
from ashblend.store.projects import create_project
from ashblend.store.surfaces import NewChannelSet, channel_sets_of, create_blend, create_surface

NAME = "Skerry Station"
FILE = "slipway.glb"


def encoded_maps(textures: TextureSet) -> dict[str, bytes]:
    """The maps as PNG files, by role; height in 16 bits."""
    return {
        "albedo": write_png(textures.albedo),
        "height": write_png(textures.height),
        "normal": write_png(textures.normal),
        "roughness": write_png(textures.roughness),
        "occlusion": write_png(textures.occlusion),
    }


def add_materials(session: Session, project: UUID, size: int = 512) -> dict[str, UUID]:
    """Make the sample materials; their ids by name."""
    out = {}
    for number, (name, generate) in enumerate(MATERIALS.items()):
        maps = encoded_maps(generate(11 + number, size))
        out[name] = create_material(session, project, name, maps).id
    return out


def _masks(mesh: Mesh) -> tuple[F32, ...]:
    """First weights of the slipway, as an artist would leave them after an hour: soft, by height and noise."""
    position = mesh.positions.astype(np.float64)
    x, y, z = position.T
    assert mesh.normals is not None
    up = mesh.normals[:, 1].astype(np.float64)
    patches, streaks, drift = ripple(21, 2.6, 4), ripple(22, 1.1, 3), ripple(23, 4.5, 4)

    def area(inside: F64) -> F32:
        return np.clip(inside, 0, 1).astype(np.float32)

    wall = smoothstep(-3.55, -3.62, x) * (1 - smoothstep(0.35, 0.75, np.abs(up)))
    mortar = wall * smoothstep(0.35, 1.5, y + 0.35 * patches(z, y)) * (0.62 + 0.5 * patches(1.3 * z, 2 * y))
    mortar = mortar + 0.55 * smoothstep(0.75, 1.0, up) * smoothstep(0.2, 1.1, drift(x, z)) * smoothstep(
        0.0, 0.7, y
    )
    low_water = 1 - smoothstep(TIDE - 0.35, TIDE + 0.55, y + 0.22 * streaks(x + y, z))
    barnacles = low_water * (0.62 + 0.40 * patches(x + 2 * y, z)) * (0.60 + 0.40 * (1 - np.clip(up, 0, 1)))
    deep = 1 - smoothstep(TIDE - 0.75, TIDE + 0.15, y + 0.34 * drift(x, z) + 0.12 * streaks(x, 0.7 * z))
    wrack = deep * (0.85 + 0.4 * patches(0.8 * x + 3, 0.6 * z)) * smoothstep(-0.2, 0.35, up)
    return area(mortar), area(barnacles), area(wrack)


def _channel_sets(mesh: Mesh) -> list[NewChannelSet]:
    names = ("Mortar", "Barnacles", "Wrack", "Rime")
    channels: list[Channel] = [channel_of_values(values) for values in _masks(mesh)]
    channels.append(empty_channel(mesh.vertex_count))
    document = ChannelSetDocument(
        name="Tide set", channels=tuple(ChannelDocument(name=name) for name in names)
    )
    return [NewChannelSet(document, channels)]


def _blend(materials: dict[str, UUID], channel_set: UUID) -> BlendDocument:
    def layer(ident: str, name: str, channel: int, tile: float, bite: float, softness: float) -> CoverLayer:
        return CoverLayer(
            id=ident,
            name=ident.capitalize(),
            material=materials[name],
            mapping=Mapping(projection="triplanar", metres_per_tile=tile),
            mask=ChannelMask(channel_set=channel_set, channel=channel),
            bite=bite,
            softness=softness,
        )

    return BlendDocument(
        name="Slipway tide",
        ground=Ground(
            name="Setts",
            material=materials["Granite setts"],
            mapping=Mapping(projection="triplanar", metres_per_tile=1.3),
        ),
        layers=(
            layer("mortar", "Lime mortar", 0, 0.9, -1.1, 0.16),
            layer("barnacles", "Barnacle crust", 1, 0.55, 1.4, 0.12),
            layer("wrack", "Wrack", 2, 1.1, 1.2, 0.14),
        ),
    )


def build_skerry_station(session: Session) -> UUID | None:
    """Build the sample unless a project of its name is there; the new project's id."""
    if session.scalar(select(Project.id).where(Project.name == NAME).limit(1)) is not None:
        return None
    project = create_project(session, NAME)
    materials = add_materials(session, project.id)
    data = build_glb(slipway(), [], "Slipway")
    mesh = read_mesh(FILE, data)
    intake = take_in(mesh, mesh_vertices(mesh))
    surface = create_surface(session, project.id, "Slipway", FILE, data, intake.facts, _channel_sets(mesh))
    channel_set = channel_sets_of(session, surface.id)[0].id
    create_blend(session, surface.id, _blend(materials, channel_set))
    return project.id
