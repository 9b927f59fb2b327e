"""The shelf: materials that every project begins with. Their bytes are kept once, whatever the number of projects."""

from collections.abc import Mapping
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.store.blobs import again
from ashblend.store.materials import material_document
from ashblend.store.models import Material, Project, ShelfMaterial


def shelved(session: Session) -> set[str]:
    """Names of what lies on the shelf."""
    return set(session.scalars(select(ShelfMaterial.name)))


def stock(session: Session, position: int, name: str, maps: Mapping[str, bytes]) -> None:
    """Lay a material on the shelf, from encoded maps by role."""
    document, size = material_document(session, name, maps)
    session.add(ShelfMaterial(name=name, position=position, document=document, size=size))
    session.flush()


def take_from_shelf(session: Session, project: UUID) -> dict[str, UUID]:
    """Give a project every material of the shelf that it has not got; its starting materials' ids by name."""
    out: dict[str, UUID] = {}
    for material in session.scalars(select(Material).where(Material.project_id == project)):
        if (name := material.document.get("shelf")) is not None:
            out[name] = material.id
    for entry in session.scalars(select(ShelfMaterial).order_by(ShelfMaterial.position)).all():
        if entry.name in out:
            continue
        for sha in (*entry.document["maps"].values(), *entry.document["packs"].values()):
            again(session, sha)
        material = Material(
            project_id=project, document={**entry.document, "shelf": entry.name}, size=entry.size
        )
        session.add(material)
        session.flush()
        out[entry.name] = material.id
    return out


def take_everywhere(session: Session) -> None:
    """See that every project has what lies on the shelf."""
    for ident in session.scalars(select(Project.id)).all():
        take_from_shelf(session, ident)
