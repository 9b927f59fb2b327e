"""Export: the painted mesh in open formats."""

from pathlib import PurePath
from typing import Annotated, Literal
from urllib.parse import quote
from uuid import UUID

import numpy as np
from fastapi import APIRouter, HTTPException, Query, Response
from sqlalchemy.orm import Session

from ashblend.core.channels import FULL, Channel
from ashblend.core.formats import ExportAttribute, add_to_glb, build_glb, write_obj, write_ply
from ashblend.core.formats.attribute import Bits
from ashblend.core.sites import Mesh
from ashblend.server.live.surface import LiveSurface, Refusal
from ashblend.server.routes.parts import DatabaseSession, OpenRooms
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


def _glb(original: bytes | None, mesh: Mesh, attribute: ExportAttribute, name: str) -> bytes:
    return add_to_glb(original, [attribute]) if original else build_glb(mesh, [attribute], name)


def _file(
    surface: LiveSurface,
    original: bytes | None,
    name: str,
    channel_set: UUID,
    kind: str,
    attribute: Attribute,
    bits: Bits,
) -> bytes:
    _, channels = surface.set_values(channel_set)
    weights = export_attribute(channels, "COLOR_0" if attribute == "colour" else "_MASK0", bits)
    if kind == "glb":
        return _glb(original, surface.mesh, weights, name)
    if kind == "obj":
        return write_obj(surface.mesh, weights)
    return write_ply(surface.mesh, weights, binary=kind == "ply")


def _source(session: Session, ident: UUID) -> tuple[str, bytes | None]:
    """The surface's name, and the imported file when that was a GLB."""
    row = get_surface(session, ident)
    is_glb = PurePath(row.file_name).suffix.lower() == ".glb"
    return row.name, get_blob(session, row.source) if is_glb else None


@router.get("/surfaces/{ident}/export", response_class=Response)
async def export_surface(
    ident: UUID,
    session: DatabaseSession,
    rooms: OpenRooms,
    channel_set: UUID,
    kind: Literal["glb", "ply", "ply-ascii", "obj"] = "glb",
    attribute: Attribute = "mask",
    bits: Annotated[Literal["8", "16", "float"], Query()] = "8",
) -> Response:
    """The mesh with one channel set. attribute "mask" writes _MASK0 into a GLB, "colour" COLOR_0."""
    name, original = _source(session, ident)
    async with rooms.enter(ident) as room:
        try:
            data = await room.call(
                _file, room.surface, original, name, channel_set, kind, attribute, BITS[bits]
            )
        except Refusal as refusal:
            raise HTTPException(409, f"{refusal.problem} {refusal.remedy}") from refusal
    suffix = "ply" if kind.startswith("ply") else kind
    return Response(
        data,
        media_type="model/gltf-binary" if kind == "glb" else "application/octet-stream",
        headers={"content-disposition": f"attachment; filename*=UTF-8''{quote(name)}.{suffix}"},
    )
