"""Projects."""

from datetime import datetime
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ashblend.server.routes.materials import MaterialView, material_view
from ashblend.server.routes.parts import DatabaseSession, Json, Name, OpenDatabase, OpenRooms
from ashblend.server.routes.stencils import StencilView, stencil_view
from ashblend.store import bin, copies
from ashblend.store import projects as store
from ashblend.store.journal import last_steps
from ashblend.store.shelf import take_from_shelf
from ashblend.store.snapshots import views_made
from ashblend.store.stencils import stencils_of

router = APIRouter(prefix="/api/projects", tags=["projects"])


class NewProject(BaseModel):
    name: Name


class ProjectSummary(BaseModel):
    id: UUID
    name: str
    surfaces: int


class SurfaceSummary(BaseModel):
    """touched_at: when something was last done on it. view: number of its last view, 0 for none."""

    id: UUID
    name: str
    facts: Json
    touched_at: datetime
    view: int


class ProjectView(BaseModel):
    id: UUID
    name: str
    surfaces: list[SurfaceSummary]
    materials: list[MaterialView]
    stencils: list[StencilView]


@router.get("")
def list_projects(session: DatabaseSession) -> list[ProjectSummary]:
    return [
        ProjectSummary(id=project.id, name=project.name, surfaces=count)
        for project, count in store.list_projects(session)
    ]


@router.post("", status_code=201)
def create_project(new: NewProject, session: DatabaseSession) -> ProjectSummary:
    project = store.create_project(session, new.name)
    take_from_shelf(session, project.id)
    return ProjectSummary(id=project.id, name=project.name, surfaces=0)


def _surfaces(session: Session, ident: UUID) -> list[SurfaceSummary]:
    surfaces = store.surfaces_of(session, ident)
    touched = last_steps(session, [s.id for s in surfaces])
    views = views_made(session, [s.id for s in surfaces])
    return [
        SurfaceSummary(
            id=s.id,
            name=s.name,
            facts=s.facts,
            touched_at=max(s.created_at, touched.get(s.id, s.created_at)),
            view=int(views[s.id].timestamp() * 1000) if s.id in views else 0,
        )
        for s in surfaces
    ]


@router.get("/{ident}")
def get_project(ident: UUID, session: DatabaseSession) -> ProjectView:
    project = store.get_project(session, ident)
    return ProjectView(
        id=project.id,
        name=project.name,
        surfaces=_surfaces(session, ident),
        materials=[material_view(m) for m in store.materials_of(session, ident)],
        stencils=[stencil_view(s) for s in stencils_of(session, ident)],
    )


@router.patch("/{ident}")
def rename_project(ident: UUID, new: NewProject, session: DatabaseSession) -> ProjectSummary:
    project = store.get_project(session, ident)
    project.name = new.name
    return ProjectSummary(id=project.id, name=project.name, surfaces=len(store.surfaces_of(session, ident)))


@router.post("/{ident}/copy", status_code=201)
async def copy_project(ident: UUID, new: NewProject, database: OpenDatabase) -> ProjectSummary:
    """The project once more, with paint and history."""

    def copied(session: Session) -> ProjectSummary:
        project = copies.copy_project(session, ident, new.name)
        return ProjectSummary(
            id=project.id, name=project.name, surfaces=len(store.surfaces_of(session, project.id))
        )

    return await database.transact(copied)


def _surfaces_of(session: Session, ident: UUID) -> list[UUID]:
    return [surface.id for surface in store.surfaces_of(session, ident)]


@router.delete("/{ident}", status_code=204)
async def delete_project(ident: UUID, database: OpenDatabase, rooms: OpenRooms) -> None:
    """Into the bin, with everything in it."""
    surfaces = await database.transact(_surfaces_of, ident)
    await database.transact(bin.remove, "project", ident)
    for surface in surfaces:
        await rooms.forget(surface)
