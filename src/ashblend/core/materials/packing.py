"""Packing a material into as few texture samples as possible.

Eight numbers are needed at a place: albedo (3), height, normal (2; the third follows from its
length), roughness, occlusion. A sample gives four, so two samples are the least, and two are used:

    surface   R G B  albedo, sRGB    A  height           uploaded as SRGB8_ALPHA8: the hardware
                                                         decodes RGB before filtering, A is linear
    detail    R G    normal x, y     B  roughness   A  occlusion        uploaded as RGBA8

A layer mapped by UV therefore costs 2 samples a pixel, a triplanar one 6 (each plane once).
Eight bits hold a height to 1/255, which moves an interlocked border by less than a texel.

Pictures that masks are made from have an array of their own, one component each:

    picture    R  lightness                                       uploaded as R8
"""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32, U8, Ids
from ashblend.core.materials.texture_set import TextureSet, decode_srgb
from ashblend.core.tree.pack import PackName

LARGEST = 2048


@dataclass(frozen=True)
class Pack:
    """name; srgb: whether the first three components are decoded when sampled."""

    name: PackName
    srgb: bool

    def decoded(self, texels: U8) -> F32:
        """What a sampler returns at texel centres: (r, c, 4) float32."""
        out = texels.astype(np.float32) / np.float32(255)
        if self.srgb:
            out[..., :3] = decode_srgb(texels[..., :3])
        return out


@dataclass(frozen=True)
class PackedTexels:
    """Texels (r, c, 4) uint8 of a pack, decoded only where they are read."""

    pack: Pack
    texels: U8

    @property
    def shape(self) -> tuple[int, ...]:
        return self.texels.shape

    def at(self, rows: Ids, columns: Ids) -> F32:
        """(n, 4) what a sampler returns at the centres of some texels."""
        return self.pack.decoded(self.texels[rows, columns][None])[0]


# Of a material.
PACKS: dict[PackName, Pack] = {"surface": Pack("surface", True), "detail": Pack("detail", False)}
PICTURE = Pack("picture", False)
# All alike, so that any few of them fit into one array.
PICTURE_EDGE = 1024


def packed_size(textures: TextureSet, most: int = 1024) -> int:
    """Edge of the square, power-of-two array layer that fits the set, at most `most` texels."""
    return min(most, 1 << max(2, (max(textures.size) - 1).bit_length()))


def pack_picture(grey: F32) -> U8:
    """A picture (rows, columns) in 0..1 as (PICTURE_EDGE, PICTURE_EDGE) uint8."""
    rounded = np.rint(np.clip(grey, 0, 1) * 255).astype(np.uint8)
    return at_size(rounded[..., None], PICTURE_EDGE).reshape(PICTURE_EDGE, PICTURE_EDGE)


def at_size(image: U8, size: int) -> U8:
    """Tiling texels (r, c, k) as (size, size, k): averaged by area, or between neighbours when enlarged."""
    import cv2

    if image.shape[:2] == (size, size):
        return image
    if image.shape[0] >= size and image.shape[1] >= size:
        return np.asarray(cv2.resize(image, (size, size), interpolation=cv2.INTER_AREA))
    # Enlarging must wrap, or the tile's edge would show as a seam.
    margin = 4
    wrapped = np.pad(image, ((margin, margin), (margin, margin), (0, 0)), mode="wrap")
    rows, cols = image.shape[:2]
    x = (np.arange(size) + 0.5) * cols / size - 0.5 + margin
    y = (np.arange(size) + 0.5) * rows / size - 0.5 + margin
    map_x, map_y = np.meshgrid(x.astype(np.float32), y.astype(np.float32))
    return np.asarray(cv2.remap(wrapped, map_x, map_y, cv2.INTER_LINEAR))


def pack_texture_set(textures: TextureSet, size: int) -> dict[PackName, U8]:
    """Both packs, each (size, size, 4) uint8."""
    height = (textures.height.astype(np.float32) / 257).round().astype(np.uint8)
    surface = np.concatenate([textures.albedo, height[..., None]], axis=2)
    detail = np.stack(
        [textures.normal[..., 0], textures.normal[..., 1], textures.roughness, textures.occlusion], axis=2
    )
    return {"surface": at_size(surface, size), "detail": at_size(detail, size)}
