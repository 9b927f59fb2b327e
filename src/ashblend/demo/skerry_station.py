"""Puts the sample project into an empty database, once."""

from collections.abc import Callable
from functools import partial
from uuid import UUID

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.core.blend.document import BlendDocument
from ashblend.core.channels.channel import Channel, channel_of_values
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.images import write_png
from ashblend.core.formats.intake import take_in
from ashblend.core.formats.registry import read_mesh
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.surface.levels import level_carry
from ashblend.core.surface.shape import LevelState
from ashblend.demo.blends import Materials, post_blend, slipway_blend, tuft_blend
from ashblend.demo.looks import compose
from ashblend.demo.materials.patterns import smoothstep
from ashblend.demo.mooring_post import LEVELS, mooring_post
from ashblend.demo.sea_thrift import tuft
from ashblend.demo.shelf import stock_shelf
from ashblend.demo.skerry_surface import add_skerry
from ashblend.demo.slipway import ripple, slipway
from ashblend.demo.stencils import STENCILS
from ashblend.demo.survey_recipes import POST, SLIPWAY, THRIFT
from ashblend.demo.undercoats import Undercoated, painted, vertex_set
from ashblend.store.blends import create_blend
from ashblend.store.models import Project, Surface
from ashblend.store.projects import create_project
from ashblend.store.shelf import take_from_shelf
from ashblend.store.states import add_levels, read_surface_mesh
from ashblend.store.stencils import create_stencil
from ashblend.store.surfaces import channel_sets_of, create_surface

NAME = "Skerry Station"


def _mended(mesh: Mesh) -> Channel:
    """Mortar spread by hand in patches over the deck above the tide."""
    x, y, z = mesh.positions.astype(np.float64).T
    assert mesh.normals is not None
    level = smoothstep(0.75, 1.0, mesh.normals[:, 1].astype(np.float64))
    cover = level * smoothstep(0.25, 0.8, ripple(23, 4.5, 4)(x, z)) * smoothstep(0.1, 0.6, y)
    return painted(np.full(x.shape[0], 0.7, np.float32), np.clip(cover, 0, 1).astype(np.float32))


def _tide_set(mesh: Mesh) -> Undercoated:
    names = ("Mortar", "Barnacles", "Wrack", "Rime")
    return vertex_set(mesh, "Tide set", names, SLIPWAY, {0: _mended(mesh)})


def _add_surface(
    session: Session,
    project: UUID,
    name: str,
    mesh: Mesh,
    channel_set: Callable[[Mesh], Undercoated],
    blend: Callable[[UUID], BlendDocument],
) -> Surface:
    """A surface from a mesh, through its file as an import would take it."""
    data = build_glb(mesh, [], name)
    file = f"{name.lower().replace(' ', '-')}.glb"
    read = read_mesh(file, data)
    intake = take_in(read, mesh_vertices(read))
    made_set = channel_set(mesh)
    surface = create_surface(session, project, name, file, data, intake.facts, [made_set.new], read)
    made_set.keep(session, surface)
    made = create_blend(session, project, blend(channel_sets_of(session, surface.id)[0].id))
    surface.blend_id = made.id
    return surface


def _post_set(mesh: Mesh) -> Undercoated:
    """Weed up to the tide, rime on the weather side, wear on edges; on so few vertices they are hardly held."""
    return vertex_set(mesh, "Post set", ("Weed", "Rime", "Wear", "Rope marks"), POST, {})


def _tuft_set(mesh: Mesh) -> Undercoated:
    """Sway leaves the roots still; phase differs from leaf to leaf; heads are marked by hand."""
    heads = channel_of_values(tuft().head.astype(np.float32))
    return vertex_set(mesh, "Sway set", ("Sway", "Phase", "Rime", "Heads"), THRIFT, {3: heads})


def _add_post(session: Session, project: UUID, materials: Materials) -> Surface:
    surface = _add_surface(
        session, project, "Mooring post", mooring_post(0), _post_set, partial(post_blend, materials)
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
    ramp = _add_surface(session, project.id, "Slipway", slipway(), _tide_set, slip)
    post = _add_post(session, project.id, materials)
    thrift = partial(tuft_blend, materials)
    plant = _add_surface(session, project.id, "Sea-thrift tuft", tuft().mesh, _tuft_set, thrift)
    skerry = add_skerry(session, project.id, materials, ramp.id, post.id)
    made = {row.name: row.id for row in (ramp, post, plant, skerry)}
    compose(session, project.id, made)
    return project.id
