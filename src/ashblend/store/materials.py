"""Materials: maps as blobs, and what is sampled of them.

The artist's own files are kept to the byte. They are decoded once, when they come in; what the shader and the
core sample take is kept beside them, packed.
"""

import zlib
from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session, aliased

from ashblend.core.arrays import U8
from ashblend.core.formats.images import read_image
from ashblend.core.materials.packing import (
    LARGEST,
    PACKS,
    PackedTexels,
    at_size,
    pack_texture_set,
    packed_size,
)
from ashblend.core.materials.relief import rms_slope
from ashblend.core.materials.texture_set import texture_set
from ashblend.core.tree.pack import PackName
from ashblend.store.blobs import get_blob, put_blob
from ashblend.store.documents import get_row
from ashblend.store.models import Material, ShelfMaterial

PackedSet = dict[PackName, PackedTexels]
Packs = dict[PackName, U8]


def packed_maps(maps: Mapping[str, bytes]) -> tuple[int, Packs]:
    """Edge at which a material is sampled, and its packs at that. Raises FormatError or ValueError."""
    textures = texture_set(
        {role: read_image(data, f"The {role} map", LARGEST) for role, data in maps.items()}
    )
    size = packed_size(textures)
    return size, pack_texture_set(textures, size)


def _put_packs(session: Session, packs: Packs) -> dict[str, str]:
    return {name: put_blob(session, zlib.compress(texels.tobytes(), 3)) for name, texels in packs.items()}


def material_document(
    session: Session, name: str, maps: Mapping[str, bytes], packed: tuple[int, Packs] | None = None
) -> tuple[dict[str, Any], int]:
    """Keep encoded maps by role; what a material says of them, and the edge at which it is sampled.

    packed: of the maps, where it is known. Raises FormatError or ValueError for bad maps.
    """
    size, packs = packed or packed_maps(maps)
    document = {
        "name": name,
        "maps": {role: put_blob(session, data) for role, data in maps.items()},
        "packs": _put_packs(session, packs),
        "slope": rms_slope(packs["detail"]),
    }
    return document, size


def create_material(
    session: Session,
    project: UUID,
    name: str,
    maps: Mapping[str, bytes],
    packed: tuple[int, Packs] | None = None,
) -> Material:
    """Keep a material from encoded maps by role. packed: of the maps, where it is known, so that nothing is decoded within
    a transaction. Raises FormatError or ValueError for bad maps.
    """
    document, size = material_document(session, name, maps, packed)
    material = Material(project_id=project, document=document, size=size)
    session.add(material)
    session.flush()
    return material


def of_the_same_name(session: Session, project: UUID) -> dict[UUID, UUID]:
    """Materials of other projects, and what has the same name in this one."""
    other = aliased(Material)
    name = Material.document["name"].astext
    rows = (
        select(other.id, Material.id)
        .join(Material, name == other.document["name"].astext)
        .where(Material.project_id == project, other.project_id != project)
        .order_by(Material.created_at.desc(), Material.id)
    )
    return {there: here for there, here in session.execute(rows).all()}  # noqa: C416


def bring_packs_up_to_date(session: Session) -> int:
    """Pack materials that an older version took in; how many there were."""
    outdated = [m for m in session.scalars(select(Material)) if "packs" not in m.document]
    for material in outdated:
        maps = {role: get_blob(session, sha) for role, sha in material.document["maps"].items()}
        material.size, packs = packed_maps(maps)
        material.document = {**material.document, "packs": _put_packs(session, packs)}
    rows: list[Material | ShelfMaterial] = [
        *session.scalars(select(Material).where(Material.document["slope"].astext.is_(None))),
        *session.scalars(select(ShelfMaterial).where(ShelfMaterial.document["slope"].astext.is_(None))),
    ]
    for row in rows:
        row.document = {**row.document, "slope": rms_slope(read_pack(session, row, "detail"))}
    return len(outdated)


def read_pack(session: Session, material: Material | ShelfMaterial, name: PackName) -> U8:
    """Texels (size, size, 4) uint8 of a pack, at the material's own size."""
    data = zlib.decompress(get_blob(session, material.document["packs"][name]))
    return np.frombuffer(data, np.uint8).reshape(material.size, material.size, 4)


def read_packs(session: Session, material: Material) -> Packs:
    return {name: read_pack(session, material, name) for name in PACKS}


def packed_for(
    session: Session, materials: Sequence[UUID], known: Mapping[tuple[UUID, int, int], PackedSet]
) -> tuple[list[PackedSet], dict[tuple[UUID, int, int], PackedSet]]:
    """Materials packed as the picture has them: all as large as the largest. known: those packed before.

    Returns them in order, and all by id, revision and size.
    """
    rows = [get_row(session, Material, ident) for ident in materials]
    size = max((row.size for row in rows), default=0)
    held: dict[tuple[UUID, int, int], PackedSet] = {}
    out = []
    for row in rows:
        key = (row.id, row.revision, size)
        found = held.get(key) or known.get(key)
        if found is None:
            packs = read_packs(session, row)
            found = {name: PackedTexels(pack, at_size(packs[name], size)) for name, pack in PACKS.items()}
        held[key] = found
        out.append(found)
    return out, held
