"""Salt rime: a crust of spray that dried in rosettes, white and chalky."""

import numpy as np

from ashblend.core.materials.texture_set import TextureSet
from ashblend.demo.materials.patterns import (
    Cells,
    finished,
    mixed,
    smoothstep,
    spectral_noise,
    srgb,
    unit_range,
)


def salt_rime(seed: int, size: int) -> TextureSet:
    """Maps; the tile reads best at about a third of a metre."""
    large, small = Cells(seed, size, 14), Cells(seed + 1, size, 44)
    needles = 0.5 + 0.5 * np.cos(9 * large.angle + 3 * spectral_noise(seed + 2, size, 1.2, 5))
    rosette = (1 - smoothstep(0.0, 0.75, large.near)) * (0.65 + 0.35 * needles)
    grains = 1 - smoothstep(0.05, 0.5, small.near)
    crust = spectral_noise(seed + 3, size, 1.6, 8)
    height = unit_range(0.55 * rosette + 0.30 * grains + 0.16 * crust)
    fine = spectral_noise(seed + 4, size, 0.3, 2.0, 8)

    colour = mixed(srgb(178, 184, 186), srgb(240, 243, 242), np.clip(0.2 + 0.9 * height + 0.05 * fine, 0, 1))
    damp = smoothstep(0.6, 2.4, spectral_noise(seed + 5, size, 1.4, 20, 140))
    colour = mixed(colour, srgb(158, 160, 154), 0.35 * damp)
    roughness = 0.86 - 0.16 * grains + 0.03 * fine
    return finished(colour, height, roughness, relief=0.05, cavity=1.2)
