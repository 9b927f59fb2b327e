"""Materials: maps as blobs, read back as one texture set."""

from collections.abc import Mapping
from uuid import UUID

from sqlalchemy.orm import Session

from ashblend.core.formats.images import read_image
from ashblend.core.materials import TextureSet, packed_size, texture_set
from ashblend.store.blobs import get_blob, put_blob
from ashblend.store.models import Material


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
