"""Packing to sizes, defaults, and the small picture."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ashblend.core.materials.packing import pack_texture_set, packed_size
from ashblend.core.materials.picture import material_picture
from ashblend.core.materials.texture_set import texture_set


def stripes(size: int) -> np.ndarray:
    """A tile whose colour is a wave along each row: periodic, so enlarging it must stay so."""
    x = (np.arange(size) + 0.5) / size * 2 * np.pi
    wave = np.rint(127.5 + 100 * np.sin(x)).astype(np.uint8)
    return np.repeat(np.tile(wave, (size, 1))[..., None], 3, axis=2)


@pytest.mark.parametrize("size", [16, 64, 256])
def test_enlarging_and_shrinking_keep_the_tile_seamless_and_in_place(size):
    packed = pack_texture_set(texture_set({"albedo": stripes(64)}), size)["surface"]
    x = (np.arange(size) + 0.5) / size * 2 * np.pi
    expected = 127.5 + 100 * np.sin(x)
    # A mean over a wide texel flattens a wave a little; nothing may move it.
    assert np.abs(packed[size // 2, :, 0].astype(float) - expected).max() < (3 if size >= 64 else 5)
    inner = np.abs(np.diff(packed[..., 0].astype(float), axis=1)).max()
    seam = np.abs(packed[:, 0, 0].astype(float) - packed[:, -1, 0]).max()
    assert seam <= inner + 1


@given(st.integers(1, 3000), st.integers(1, 3000))
def test_the_packed_size_is_a_power_of_two_that_fits(rows, columns):
    textures = texture_set({"albedo": np.zeros((4, 4, 3), np.uint8)})
    object.__setattr__(textures, "albedo", np.broadcast_to(np.uint8(0), (rows, columns, 3)))
    size = packed_size(textures)
    assert size & (size - 1) == 0 and 4 <= size <= 1024
    assert size == 1024 or size >= max(rows, columns)


def test_missing_maps_get_plain_defaults():
    packs = pack_texture_set(texture_set({"albedo": np.full((8, 8), 77, np.uint8)}), 8)
    assert (packs["surface"] == [77, 77, 77, 128]).all(), "grey albedo, level height"
    assert (packs["detail"][..., 2] == 204).all() and (packs["detail"][..., 3] == 255).all()
    assert np.abs(packs["detail"][..., :2].astype(int) - 127).max() <= 1, "a level normal"


def test_maps_of_different_sizes_and_depths_go_together():
    rng = np.random.default_rng(1)
    textures = texture_set(
        {
            "albedo": rng.integers(0, 65536, (32, 32, 3)).astype(np.uint16),
            "height": rng.integers(0, 256, (64, 64)).astype(np.uint8),
            "roughness": rng.integers(0, 256, (16, 16, 3)).astype(np.uint8),
        }
    )
    assert textures.albedo.dtype == np.uint8 and textures.height.dtype == np.uint16
    assert textures.height.shape == textures.roughness.shape == textures.normal.shape[:2] == (32, 32)


def test_a_bump_is_lit_from_the_upper_left():
    y, x = np.mgrid[:64, :64] / 63 - 0.5
    height = np.clip(0.25 - x**2 - y**2, 0, None)
    height = np.rint(height / height.max() * 65535).astype(np.uint16)
    textures = texture_set({"albedo": np.full((64, 64, 3), 150, np.uint8), "height": height})
    picture = material_picture(pack_texture_set(textures, 64), 64).astype(int)
    assert picture[22, 22].sum() > picture[32, 32].sum() > picture[42, 42].sum()
