"""Puts the sample project into an empty database, once."""

from collections.abc import Callable
from functools import partial
from uuid import UUID

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.core.arrays import F32, F64
from ashblend.core.blend import BlendDocument
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
from ashblend.core.sites import Mesh, mesh_vertices
from ashblend.core.surface import LevelState
from ashblend.core.surface.levels import level_carry
from ashblend.demo.blends import Materials, post_blend, slipway_blend, tuft_blend
from ashblend.demo.materials.patterns import smoothstep
from ashblend.demo.mooring_post import LEVELS, mooring_post
from ashblend.demo.sea_thrift import tuft
from ashblend.demo.shelf import stock_shelf
from ashblend.demo.skerry_surface import add_skerry
from ashblend.demo.slipway import TIDE, ripple, slipway
from ashblend.demo.stencils import STENCILS
from ashblend.store.blends import create_blend
from ashblend.store.models import Project, Surface
from ashblend.store.projects import create_project
from ashblend.store.shelf import take_from_shelf
from ashblend.store.states import add_levels, read_surface_mesh
from ashblend.store.stencils import create_stencil
from ashblend.store.surfaces import NewChannelSet, channel_sets_of, create_surface

NAME = "Skerry Station"


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


def _add_surface(
    session: Session,
    project: UUID,
    name: str,
    mesh: Mesh,
    channel_sets: Callable[[Mesh], list[NewChannelSet]],
    blend: Callable[[UUID], BlendDocument],
) -> Surface:
    """A surface from a mesh, through its file as an import would take it."""
    data = build_glb(mesh, [], name)
    file = f"{name.lower().replace(' ', '-')}.glb"
    read = read_mesh(file, data)
    intake = take_in(read, mesh_vertices(read))
    surface = create_surface(session, project, name, file, data, intake.facts, channel_sets(mesh))
    made = create_blend(session, project, blend(channel_sets_of(session, surface.id)[0].id))
    surface.blend_id = made.id
    return surface


def _post_sets(mesh: Mesh) -> list[NewChannelSet]:
    """Weed up to the tide, rime on the weather side; on so few vertices both are hardly held."""
    y = mesh.positions[:, 1].astype(np.float64)
    facing = mesh.normals[:, 0].astype(np.float64) if mesh.normals is not None else np.zeros_like(y)
    weed = 1 - smoothstep(0.25, 0.95, y)
    rime = smoothstep(0.9, 1.8, y) * smoothstep(-0.3, 0.9, facing)
    channels = [channel_of_values(v.astype(np.float32)) for v in (weed, rime)]
    channels += [empty_channel(mesh.vertex_count), empty_channel(mesh.vertex_count)]
    names = ("Weed", "Rime", "Wear", "Rope marks")
    document = ChannelSetDocument(name="Post set", channels=tuple(ChannelDocument(name=n) for n in names))
    return [NewChannelSet(document, channels)]


def _tuft_sets(mesh: Mesh) -> list[NewChannelSet]:
    """Sway grows with height and leaves the root still; phase differs from leaf to leaf; heads are marked."""
    made = tuft()
    y = mesh.positions[:, 1].astype(np.float64)
    sway = smoothstep(0.02, 0.18, y)
    phase = np.random.default_rng(2).random(int(made.piece.max()) + 1)[made.piece]
    channels = [channel_of_values(v.astype(np.float32)) for v in (sway, phase)]
    channels += [empty_channel(mesh.vertex_count), channel_of_values(made.head.astype(np.float32))]
    names = ("Sway", "Phase", "Rime", "Heads")
    document = ChannelSetDocument(name="Sway set", channels=tuple(ChannelDocument(name=n) for n in names))
    return [NewChannelSet(document, channels)]


def _add_post(session: Session, project: UUID, materials: Materials) -> Surface:
    surface = _add_surface(
        session, project, "Mooring post", mooring_post(0), _post_sets, partial(post_blend, materials)
    )
    mesh = read_surface_mesh(session, surface)
    levels = []
    for number in range(1, len(LEVELS)):
        level = mooring_post(number)
        levels.append(LevelState(f"Level {number}", level, level_carry(mesh, level)))
    add_levels(session, surface, levels)
    return surface


def build_skerry_station(session: Session) -> UUID | None:
    """Build the sample unless a project of its name is there; the new project's id."""
    if session.scalar(select(Project.id).where(Project.name == NAME).limit(1)) is not None:
        return None
    project = create_project(session, NAME)
    stock_shelf(session)
    materials = take_from_shelf(session, project.id)
    for name, make in STENCILS.items():
        create_stencil(session, project.id, name, write_png(make()))

    slip = partial(slipway_blend, materials)
    ramp = _add_surface(session, project.id, "Slipway", slipway(), _channel_sets, slip)
    post = _add_post(session, project.id, materials)
    thrift = partial(tuft_blend, materials)
    _add_surface(session, project.id, "Sea-thrift tuft", tuft().mesh, _tuft_sets, thrift)
    add_skerry(session, project.id, materials, ramp.id, post.id)
    return project.id
