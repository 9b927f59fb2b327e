"""A material's maps as arrays."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, F64, U8, U16

MAP_ROLES = ("albedo", "height", "normal", "roughness", "occlusion")


@dataclass(frozen=True)
class TextureSet:
    """Tiling maps of one material, all (rows, cols[, 3]), rows running down the image.

    albedo: (r, c, 3) uint8, sRGB. height: (r, c) uint16, 0 lowest, 65535 highest.
    normal: (r, c, 3) uint8, tangent space, green up, 128 level. roughness, occlusion: (r, c) uint8.
    """

    albedo: U8
    height: U16
    normal: U8
    roughness: U8
    occlusion: U8

    @property
    def size(self) -> tuple[int, int]:
        return int(self.albedo.shape[0]), int(self.albedo.shape[1])


def normal_from_height(height: U16, relief: float) -> U8:
    """A tangent-space normal map of a tiling height map.

    height: (r, c) uint16. relief: rise from 0 to 65535 as a fraction of the tile's width.
    Central differences with wrap-around; returns (r, c, 3) uint8, green up.
    """
    h = height.astype(np.float64) / 65535
    rows, cols = h.shape
    dx = (np.roll(h, -1, 1) - np.roll(h, 1, 1)) * (cols / 2) * relief
    down = (np.roll(h, -1, 0) - np.roll(h, 1, 0)) * (rows / 2) * relief
    n = np.stack([-dx, down, np.ones_like(h)], axis=-1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    return np.rint(n * 127.5 + 127.5).clip(0, 255).astype(np.uint8)


def _fit(image: NDArray[Any], size: tuple[int, int]) -> NDArray[Any]:
    import cv2

    if image.shape[:2] == size:
        return image
    shrinking = image.shape[0] >= size[0]
    way = cv2.INTER_AREA if shrinking else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(image, (size[1], size[0]), interpolation=way))


def _eight(image: NDArray[Any]) -> U8:
    return (image // 257).astype(np.uint8) if image.dtype == np.uint16 else image.astype(np.uint8)


def _grey(image: NDArray[Any]) -> NDArray[Any]:
    return image[..., 0] if image.ndim == 3 else image


def texture_set(maps: Mapping[str, NDArray[Any]]) -> TextureSet:
    """A complete set from whatever maps there are; each missing one gets its plain default.

    maps: by role; uint8 or uint16, grey or RGB. Albedo is needed. Sizes may differ: all are
    brought to the albedo's. A missing height is level, a missing normal comes from the height.
    Raises ValueError when albedo is missing or a role is unknown.
    """
    if "albedo" not in maps:
        raise ValueError("a material needs an albedo map")
    unknown = set(maps) - set(MAP_ROLES)
    if unknown:
        raise ValueError(f"unknown map {sorted(unknown)[0]!r}")
    albedo = _eight(maps["albedo"])
    if albedo.ndim == 2:
        albedo = np.repeat(albedo[..., None], 3, axis=2)
    albedo = np.ascontiguousarray(albedo[..., :3])
    size = (albedo.shape[0], albedo.shape[1])

    def plain(role: str, value: int) -> U8:
        found = maps.get(role)
        return np.full(size, value, np.uint8) if found is None else _eight(_fit(_grey(found), size))

    if "height" in maps:
        stored = _grey(maps["height"])
        wide = stored.astype(np.uint16) * 257 if stored.dtype == np.uint8 else stored.astype(np.uint16)
        height: U16 = np.asarray(_fit(wide, size), np.uint16)
    else:
        height = np.full(size, 32768, np.uint16)
    if "normal" in maps:
        normal = np.ascontiguousarray(_fit(_eight(maps["normal"]), size)[..., :3])
    else:
        normal = normal_from_height(height, 0.03)
    return TextureSet(albedo, height, normal, plain("roughness", 204), plain("occlusion", 255))


def encode_srgb(colour: F64) -> U8:
    """Linear 0..1 as sRGB in 256 steps (IEC 61966-2-1)."""
    low = colour <= 0.0031308
    high = 1.055 * np.power(np.where(low, 1.0, colour), 1 / 2.4) - 0.055
    return np.rint(np.where(low, 12.92 * colour, high) * 255).clip(0, 255).astype(np.uint8)


def decode_srgb(steps: U8) -> F32:
    """sRGB bytes to linear, IEC 61966-2-1. Any shape; float32."""
    s = np.arange(256) / 255
    table = np.where(s <= 0.04045, s / 12.92, ((s + 0.055) / 1.055) ** 2.4).astype(np.float32)
    return table[steps]
