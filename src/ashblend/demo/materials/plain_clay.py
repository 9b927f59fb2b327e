"""Plain clay: one even grey-brown that lies under everything until a ground is chosen."""

from ashblend.core.materials.texture_set import TextureSet
from ashblend.demo.materials.patterns import finished, mixed, smoothstep, spectral_noise, srgb


def plain_clay(seed: int, size: int) -> TextureSet:
    """Maps; so even that any tiling does."""
    fine = spectral_noise(seed, size, 0.6, 8.0, 60)
    wide = spectral_noise(seed + 1, size, 1.6, 2.0, 10)
    colour = mixed(srgb(142, 132, 120), srgb(154, 145, 133), smoothstep(-1.5, 1.5, wide))
    return finished(colour, 0.5 + 0.02 * fine, 0.78 + 0.02 * wide, relief=0.004, cavity=0.2)
