"""Stencils of a project, which are pictures for masks, too, and the arrays that brush and recipe read."""

from collections.abc import Sequence
from uuid import UUID

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.core.arrays import F32
from ashblend.core.formats.images import read_image
from ashblend.core.materials.packing import PICTURE, PICTURE_EDGE, PackedTexels, pack_picture
from ashblend.store.blobs import get_blob, put_blob
from ashblend.store.errors import Missing
from ashblend.store.models import Stencil

LARGEST = PICTURE_EDGE


def _grey(data: bytes) -> F32:
    """An image's lightness (rows, columns) in 0..1, no larger than LARGEST."""
    import cv2

    image = read_image(data, "The stencil", LARGEST)
    full = float(np.iinfo(image.dtype).max)
    grey: F32 = image.astype(np.float32) / full
    if grey.ndim == 3:
        # Rec. 709 luma of the stored values: a stencil is looked at, not lit.
        grey = grey @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    scale = LARGEST / max(grey.shape)
    if scale < 1:
        grey = np.asarray(
            cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.float32
        )
    return np.ascontiguousarray(grey, np.float32)


def create_stencil(session: Session, project: UUID, name: str, data: bytes) -> Stencil:
    """Keep an image as a stencil. Raises FormatError."""
    _grey(data)
    row = Stencil(project_id=project, name=name[:60], image=put_blob(session, data))
    session.add(row)
    session.flush()
    return row


def stencils_of(session: Session, project: UUID) -> Sequence[Stencil]:
    return session.scalars(
        select(Stencil).where(Stencil.project_id == project).order_by(Stencil.created_at, Stencil.id)
    ).all()


def get_stencil(session: Session, ident: UUID) -> Stencil:
    row = session.get(Stencil, ident)
    if row is None:
        raise Missing("stencil", ident)
    return row


def picture_texels(session: Session, ident: UUID) -> PackedTexels:
    """A picture as masks read it. Raises Missing."""
    texels = pack_picture(read_stencil(session, ident))
    return PackedTexels(PICTURE, np.repeat(texels[..., None], 4, axis=2))


def read_stencil(session: Session, ident: UUID) -> F32:
    """The image of a stencil for a brush. Raises Missing."""
    return _grey(get_blob(session, get_stencil(session, ident).image))
