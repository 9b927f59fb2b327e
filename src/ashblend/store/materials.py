"""Materials: maps as blobs, read back as one texture set."""

from collections.abc import Mapping, Sequence
from uuid import UUID

from sqlalchemy.orm import Session

from ashblend.core.formats.images import read_image
from ashblend.core.materials import (
    PACKS,
    PackedTexels,
    TextureSet,
    pack_texture_set,
    packed_size,
    texture_set,
)
from ashblend.core.materials.packing import PackName
from ashblend.store.blobs import get_blob, put_blob
from ashblend.store.documents import get_row
from ashblend.store.models import Material

PackedSet = dict[PackName, PackedTexels]


def create_material(session: Session, project: UUID, name: str, maps: Mapping[str, bytes]) -> Material:
    """Keep a material from encoded maps by role. Raises FormatError or ValueError for bad maps."""
    textures = texture_set({role: read_image(data, f"The {role} map") for role, data in maps.items()})
    material = Material(
        project_id=project,
        document={"name": name, "maps": {role: put_blob(session, data) for role, data in maps.items()}},
        size=packed_size(textures),
    )
    session.add(material)
    session.flush()
    return material


def read_texture_set(session: Session, material: Material) -> TextureSet:
    maps = material.document["maps"]
    return texture_set({role: read_image(get_blob(session, sha)) for role, sha in maps.items()})


def packed_for(
    session: Session, materials: Sequence[UUID], known: Mapping[tuple[UUID, int, int], PackedSet]
) -> tuple[list[PackedSet], dict[tuple[UUID, int, int], PackedSet]]:
    """Materials packed as the picture has them: all as large as the largest. known: those packed before.

    Returns them in order, and all by id, revision and size.
    """
    rows = [get_row(session, Material, ident) for ident in materials]
    size = max(row.size for row in rows)
    held: dict[tuple[UUID, int, int], PackedSet] = {}
    out = []
    for row in rows:
        key = (row.id, row.revision, size)
        found = held.get(key) or known.get(key)
        if found is None:
            packs = pack_texture_set(read_texture_set(session, row), size)
            found = {name: PackedTexels(pack, packs[name]) for name, pack in PACKS.items()}
        held[key] = found
        out.append(found)
    return out, held
