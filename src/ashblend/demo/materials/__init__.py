"""Tiling materials, made from a seed. Each generator returns maps by role, ready to encode."""

from collections.abc import Callable

from ashblend.core.materials.texture_set import TextureSet
from ashblend.demo.materials.barnacle_crust import barnacle_crust
from ashblend.demo.materials.granite_setts import granite_setts
from ashblend.demo.materials.heath import heath
from ashblend.demo.materials.lichen_rock import lichen_rock
from ashblend.demo.materials.lime_mortar import lime_mortar
from ashblend.demo.materials.plain_clay import plain_clay
from ashblend.demo.materials.salt_rime import salt_rime
from ashblend.demo.materials.shingle import shingle
from ashblend.demo.materials.silt import silt
from ashblend.demo.materials.tarred_timber import tarred_timber
from ashblend.demo.materials.wrack import wrack

Generator = Callable[[int, int], TextureSet]

# The first is what a mesh stands on until another ground is chosen.
MATERIALS: dict[str, Generator] = {
    "Plain clay": plain_clay,
    "Granite setts": granite_setts,
    "Lime mortar": lime_mortar,
    "Barnacle crust": barnacle_crust,
    "Wrack": wrack,
    "Tarred timber": tarred_timber,
    "Salt rime": salt_rime,
    "Heath": heath,
    "Silt": silt,
    "Shingle": shingle,
    "Lichen rock": lichen_rock,
}
