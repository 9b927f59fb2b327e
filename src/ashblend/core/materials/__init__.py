"""Materials: sets of tiling maps, and how they are packed for the shader."""

from ashblend.core.materials.packing import (
    PACKS,
    PICTURE,
    Pack,
    PackedTexels,
    at_size,
    pack_picture,
    pack_texture_set,
    packed_size,
)
from ashblend.core.materials.picture import material_picture
from ashblend.core.materials.texture_set import MAP_ROLES, TextureSet, normal_from_height, texture_set

__all__ = [
    "MAP_ROLES",
    "PACKS",
    "PICTURE",
    "Pack",
    "PackedTexels",
    "TextureSet",
    "at_size",
    "material_picture",
    "normal_from_height",
    "pack_picture",
    "pack_texture_set",
    "packed_size",
    "texture_set",
]
