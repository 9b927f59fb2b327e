"""Measures of a surface in their own units, known by what they were made from: the mesh, the sites, the settings."""

import hashlib
from uuid import UUID

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ashblend.core.arrays import F32
from ashblend.core.formats.mesh_pack import pack_arrays, unpack_arrays
from ashblend.core.sites.fingerprint import faces_name, shape_name
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.kinds.registry import SiteKind
from ashblend.core.surface.shape import Shape
from ashblend.core.survey.protocol import MeasureDocument
from ashblend.store.blobs import get_blob, put_blob
from ashblend.store.models import Blob, KeptMeasure

# Bytes of measures that are kept of one surface, as packed.
MOST_BYTES = 400_000_000


def measure_key(shape: Shape, kind: SiteKind, measure: MeasureDocument, mesh: Mesh | None = None) -> str:
    """By everything that decides what comes out: the mesh, where the sites lie on it, the settings, and what is asked
    besides. mesh: as the surface holds it, where it is not the shape's own object.
    """
    mesh = mesh or shape.mesh_of(kind.level)
    parts = (
        shape_name(mesh),
        faces_name(mesh) if measure.by_faces else "",
        shape.lie,
        kind.model_dump_json(),
        measure.model_dump_json(),
        shape.measures.beside(measure),
    )
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()


def keep_measure(session: Session, surface: UUID, key: str, values: F32) -> None:
    """Keep values of any form; what was asked for longest ago is let go beyond MOST_BYTES."""
    sha = put_blob(session, pack_arrays({}, {"values": values}))
    row = insert(KeptMeasure).values(surface_id=surface, key=key, values=sha)
    again = {"values": sha, "asked_at": func.clock_timestamp()}
    session.execute(row.on_conflict_do_update(index_elements=["surface_id", "key"], set_=again))
    held = session.execute(
        select(KeptMeasure.key, Blob.size)
        .join(Blob, Blob.sha == KeptMeasure.values)
        .where(KeptMeasure.surface_id == surface)
        .order_by(KeptMeasure.asked_at.desc())
    ).all()
    total, gone = 0, []
    for entry in held:
        total += entry.size
        if total > MOST_BYTES and entry.key != key:
            gone.append(entry.key)
    if gone:
        session.execute(
            delete(KeptMeasure).where(KeptMeasure.surface_id == surface, KeptMeasure.key.in_(gone))
        )


def kept_measure(session: Session, surface: UUID, key: str) -> F32 | None:
    row = session.get(KeptMeasure, (surface, key))
    if row is None:
        return None
    row.asked_at = func.clock_timestamp()
    return unpack_arrays(get_blob(session, row.values))[1]["values"]
