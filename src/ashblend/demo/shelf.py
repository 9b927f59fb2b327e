"""The starting materials, made and laid on the shelf."""

from sqlalchemy.orm import Session

from ashblend.core.formats.images import write_png
from ashblend.core.materials.texture_set import TextureSet
from ashblend.demo.materials import MATERIALS
from ashblend.store.shelf import shelved, stock


def encoded_maps(textures: TextureSet) -> dict[str, bytes]:
    """The maps as PNG files, by role; height in 16 bits."""
    return {
        "albedo": write_png(textures.albedo),
        "height": write_png(textures.height),
        "normal": write_png(textures.normal),
        "roughness": write_png(textures.roughness),
        "occlusion": write_png(textures.occlusion),
    }


def stock_shelf(session: Session, size: int = 512) -> bool:
    """Make what the shelf lacks; whether it lacked anything."""
    there = shelved(session)
    lacking = [name for name in MATERIALS if name not in there]
    for name in lacking:
        number = list(MATERIALS).index(name)
        stock(session, number, name, encoded_maps(MATERIALS[name](10 + number, size)))
    return bool(lacking)
