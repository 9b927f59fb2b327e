"""Silt: fine grey-brown mud left by the tide, rippled, with worm casts and drying cracks."""

import numpy as np

from ashblend.core.materials.texture_set import TextureSet
from ashblend.demo.materials.patterns import (
    Cells,
    blurred,
    finished,
    mixed,
    smoothstep,
    spectral_noise,
    srgb,
    unit_range,
)

RIPPLES = 7


def silt(seed: int, size: int) -> TextureSet:
    """Maps; the tile reads best at about one metre."""
    rows, _ = np.indices((size, size)) / size
    bend = 0.055 * spectral_noise(seed, size, 2.1, 30)
    wave = np.sin(2 * np.pi * (RIPPLES * rows + 2.2 * bend * RIPPLES))
    # Crests are narrower than troughs, and die away here and there.
    ripple = (0.5 + 0.5 * wave) ** 1.5 * smoothstep(-1.4, 0.9, spectral_noise(seed + 1, size, 1.9, 50))
    fine = spectral_noise(seed + 2, size, 0.4, 2.2, 14)
    swell = spectral_noise(seed + 3, size, 2.2, 60)
    cells = Cells(seed + 4, size, 24)
    cast = (np.random.default_rng(seed + 5).random(24 * 24)[cells.ident] < 0.055) * (
        1 - smoothstep(0.05, 0.34, cells.near + 0.05 * np.sin(9 * cells.angle))
    )
    plates = Cells(seed + 6, size, 11, 0.95)
    dry = smoothstep(0.35, 1.7, spectral_noise(seed + 7, size, 2.0, 60))
    crack = dry * (
        1 - smoothstep(0.0, 0.05, plates.second - plates.near + 0.014 * spectral_noise(seed + 8, size, 0.9))
    )
    height = unit_range(0.55 * ripple + 0.20 * swell + 0.025 * fine)
    height = 0.18 + 0.42 * height + 0.22 * blurred(cast, size / 400) - 0.16 * crack

    colour = mixed(srgb(92, 84, 70), srgb(124, 114, 96), np.clip(0.5 * ripple + 0.35 + 0.16 * swell, 0, 1))
    colour = mixed(colour, srgb(146, 137, 118), 0.5 * dry)
    colour = mixed(colour, srgb(70, 66, 58), np.clip(0.6 * crack + 0.35 * cast, 0, 1))
    colour = colour * (1 + 0.03 * fine[..., None])
    roughness = 0.62 + 0.22 * dry + 0.04 * fine - 0.12 * (1 - ripple)
    return finished(colour, height, roughness, relief=0.03, cavity=1.6)
