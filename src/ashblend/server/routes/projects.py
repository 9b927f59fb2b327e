"""Projects."""

from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ashblend.server.routes.materials import MaterialView, material_view
from ashblend.server.routes.parts import DatabaseSession, Json, Name, OpenDatabase, OpenRooms
from ashblend.server.routes.stencils import StencilView, stencil_view
from ashblend.store import projects as store
from ashblend.store.stencils import stencils_of

router = APIRouter(prefix="/api/projects", tags=["projects"])


class NewProject(BaseModel):
    name: Name


class ProjectSummary(BaseModel):
    id: UUID
    name: str
    surfaces: int


class SurfaceSummary(BaseModel):
    id: UUID
    name: str
    facts: Json


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
    return ProjectSummary(id=project.id, name=project.name, surfaces=0)


@router.get("/{ident}")
def get_project(ident: UUID, session: DatabaseSession) -> ProjectView:
    project = store.get_project(session, ident)
    return ProjectView(
        id=project.id,
        name=project.name,
        surfaces=[
            SurfaceSummary(id=s.id, name=s.name, facts=s.facts) for s in store.surfaces_of(session, ident)
        ],
        materials=[material_view(m) for m in store.materials_of(session, ident)],
        stencils=[stencil_view(s) for s in stencils_of(session, ident)],
    )


@router.patch("/{ident}")
def rename_project(ident: UUID, new: NewProject, session: DatabaseSession) -> ProjectSummary:
    project = store.get_project(session, ident)
    project.name = new.name
    return ProjectSummary(id=project.id, name=project.name, surfaces=len(store.surfaces_of(session, ident)))


def _surfaces_of(session: Session, ident: UUID) -> list[UUID]:
    return [surface.id for surface in store.surfaces_of(session, store.get_project(session, ident).id)]


@router.delete("/{ident}", status_code=204)
async def delete_project(ident: UUID, database: OpenDatabase, rooms: OpenRooms) -> None:
    for surface in await database.transact(_surfaces_of, ident):
        await rooms.forget(surface)
    await database.transact(store.remove_project, ident)
