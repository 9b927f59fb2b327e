"""Blends of a project, and the one that a surface is shaded by."""

from collections.abc import Sequence
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.names import Names
from ashblend.core.blend.references import Known
from ashblend.core.blend.variant import Overrides, resolved
from ashblend.store.documents import get_row
from ashblend.store.errors import Missing
from ashblend.store.models import Blend, ChannelSet, Material, Stencil, Surface


def create_blend(session: Session, project: UUID, document: BlendDocument) -> Blend:
    blend = Blend(project_id=project, document=document.model_dump(mode="json"))
    session.add(blend)
    session.flush()
    return blend


def create_variant(session: Session, base: Blend, name: str, overrides: Overrides) -> Blend:
    """A variant of a blend. Raises ValueError for overrides that do not fit it."""
    resolved(base.document, overrides)
    blend = Blend(project_id=base.project_id, base=base.id, document={"name": name, "overrides": overrides})
    session.add(blend)
    session.flush()
    return blend


def blend_of(session: Session, surface: UUID) -> Blend:
    """The blend that a surface refers to. Raises Missing."""
    blend = session.scalar(
        select(Blend).join(Surface, Surface.blend_id == Blend.id).where(Surface.id == surface)
    )
    if blend is None:
        raise Missing("blend of surface", surface)
    return blend


def resolved_document(session: Session, blend: Blend) -> dict[str, Any]:
    """A blend's document as plain JSON, a variant's overrides put in.

    As documents are written now: what an older version stored is read first, for trees point into this.
    """
    document = blend.document
    if blend.base is not None:
        base = get_row(session, Blend, blend.base)
        document = resolved(base.document, {**document["overrides"], "/name": document["name"]})
    return BlendDocument.model_validate(document).model_dump(mode="json")


def blend_document(session: Session, surface: UUID) -> BlendDocument:
    return BlendDocument.model_validate(resolved_document(session, blend_of(session, surface)))


def known_on(session: Session, surface: Surface) -> Known:
    """What a blend may name on a surface: materials of its project, and sets by the ids that the blend has for them."""
    materials = session.scalars(select(Material.id).where(Material.project_id == surface.project_id))
    pictures = session.scalars(select(Stencil.id).where(Stencil.project_id == surface.project_id))
    counts = {
        row.id: len(row.document["channels"])
        for row in session.scalars(select(ChannelSet).where(ChannelSet.surface_id == surface.id))
    }
    channels = names_of(surface).known(counts)
    return Known(frozenset(materials), frozenset(channels.items()), frozenset(pictures))


def names_of(surface: Surface) -> Names:
    """What the surface's blend calls its sets."""
    return Names.of(surface.bindings)


def surfaces_shaded_by(session: Session, blend: UUID) -> Sequence[UUID]:
    """Surfaces that a blend or a variant of it shades."""
    return session.scalars(
        select(Surface.id)
        .join(Blend, Surface.blend_id == Blend.id)
        .where((Blend.id == blend) | (Blend.base == blend))
    ).all()
