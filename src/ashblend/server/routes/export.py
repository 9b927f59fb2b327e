"""Export: the painted mesh in open formats."""

from pathlib import PurePath
from typing import Annotated, Literal
from urllib.parse import quote
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Response
from sqlalchemy.orm import Session

from ashblend.core.channels import FULL, Channel
from ashblend.core.formats import ExportAttribute, add_to_glb, build_glb, write_obj, write_ply
from ashblend.core.formats.attribute import Bits
from ashblend.core.formats.splat import splat_png
from ashblend.core.sites import Mesh
from ashblend.core.surface import Refusal
from ashblend.server.live.surface import OpenSurface
from ashblend.server.routes.parts import OpenDatabase, OpenRooms
from ashblend.store.blobs import get_blob
from ashblend.store.surfaces import get_surface

router = APIRouter(prefix="/api", tags=["export"])

Attribute = Literal["mask", "colour"]
BITS: dict[str, Bits] = {"8": 8, "16": 16, "float": 32}


def export_attribute(channels: list[Channel], name: str, bits: Bits) -> ExportAttribute:
    """Channel values of a set, four wide; channels that the set does not have are zero."""
    values = np.zeros((channels[0].cover.shape[0], 4), np.float32)
    for number, channel in enumerate(channels):
        values[:, number] = (channel.values() / np.float64(FULL)).astype(np.float32)
    return ExportAttribute(name, values, bits)


def _mesh_file(mesh: Mesh, original: bytes | None, name: str, weights: ExportAttribute, kind: str) -> bytes:
    if kind == "glb":
        return add_to_glb(original, [weights]) if original else build_glb(mesh, [weights], name)
    if kind == "obj":
        return write_obj(mesh, weights)
    return write_ply(mesh, weights, binary=kind == "ply")


def _file(
    surface: OpenSurface,
    original: bytes | None,
    name: str,
    channel_set: UUID,
    kind: str,
    attribute: Attribute,
    bits: Bits,
) -> bytes:
    found = surface.set_of(channel_set)
    if kind not in found.kind.files:
        known = ", ".join(name.upper() for name in found.kind.files)
        raise Refusal(f"This set lies on {found.kind.kind}.", f"Export it as {known}.")
    if kind == "png":
        return splat_png(found.sites, found.channels, 16 if bits == 32 else bits)
    weights = export_attribute(found.channels, "COLOR_0" if attribute == "colour" else "_MASK0", bits)
    if found.level:
        original = None
    return _mesh_file(surface.shape.mesh_of(found.level), original, name, weights, kind)


def _source(session: Session, ident: UUID) -> tuple[str, bytes | None]:
    """The surface's name, and the imported file when that was a GLB and its mesh is unchanged."""
    row = get_surface(session, ident)
    unchanged = row.geometry is None and PurePath(row.file_name).suffix.lower() == ".glb"
    return row.name, get_blob(session, row.source) if unchanged else None


MEDIA = {"glb": "model/gltf-binary", "png": "image/png"}


@router.get("/surfaces/{ident}/export", response_class=Response)
async def export_surface(
    ident: UUID,
    database: OpenDatabase,
    rooms: OpenRooms,
    channel_set: UUID,
    kind: Literal["glb", "ply", "ply-ascii", "obj", "png"] = "glb",
    attribute: Attribute = "mask",
    bits: Annotated[Literal["8", "16", "float"], Query()] = "8",
) -> Response:
    """The mesh of a set's level with the set's weights, or a set on texels as a picture.

    attribute "mask" writes _MASK0 into a GLB, "colour" COLOR_0.
    """
    name, original = await database.transact(_source, ident)
    async with rooms.enter(ident) as room:
        data = await room.call(_file, room.surface, original, name, channel_set, kind, attribute, BITS[bits])
    suffix = "ply" if kind.startswith("ply") else kind
    return Response(
        data,
        media_type=MEDIA.get(kind, "application/octet-stream"),
        headers={"content-disposition": f"attachment; filename*=UTF-8''{quote(name)}.{suffix}"},
    )
