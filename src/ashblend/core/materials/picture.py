"""A small picture of a material, for lists and for the drilled core."""

from collections.abc import Mapping

import numpy as np

from ashblend.core.arrays import U8
from ashblend.core.materials.packing import at_size
from ashblend.core.materials.texture_set import decode_srgb
from ashblend.core.tree.pack import PackName


def material_picture(packs: Mapping[PackName, U8], size: int) -> U8:
    """The tile lit from the upper left, (size, size, 3) uint8 sRGB.

    Lambert with the occlusion map over a dim sky: enough to tell materials apart at 60 pixels.
    """
    surface, detail = at_size(packs["surface"], size), at_size(packs["detail"], size)
    albedo = decode_srgb(surface[..., :3])
    xy = detail[..., :2].astype(np.float32) / 127.5 - 1
    z = np.sqrt(np.maximum(1 - (xy**2).sum(axis=2), 0.01))
    light = np.array([-0.45, 0.45, 0.77], np.float32)
    lit = np.maximum(xy[..., 0] * light[0] + xy[..., 1] * light[1] + z * light[2], 0)
    shade = (0.35 * detail[..., 3] / 255 + 1.05 * lit)[..., None]
    linear = np.clip(albedo * shade, 0, 1)
    srgb = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
    return np.rint(srgb * 255).astype(np.uint8)
