"""Lichen rock: weathered sea cliff, split along bedding, with grey crusts and patches of orange lichen."""

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


def lichen_rock(seed: int, size: int) -> TextureSet:
    """Maps; the tile reads best at two metres."""
    rows, _ = np.indices((size, size)) / size
    bend = 0.05 * spectral_noise(seed, size, 2.1, 40)
    bedding = 9 * (rows + bend)
    step = bedding - np.floor(bedding)
    ledge = smoothstep(0.0, 0.16, step) * (1 - 0.55 * step)
    lumps = spectral_noise(seed + 1, size, 1.9, 6)
    fine = spectral_noise(seed + 2, size, 0.7, 2.0, 18)
    blocks = Cells(seed + 3, size, 6, 0.95)
    gap = blocks.second - blocks.near + 0.03 * spectral_noise(seed + 4, size, 1.3, 4)
    # Wide open here, closed to a hair there.
    opened = smoothstep(-0.6, 1.4, spectral_noise(seed + 8, size, 1.8, 40))
    joint = 1 - np.clip(gap / (0.006 + 0.035 * opened), 0, 1)
    height = unit_range(0.5 * ledge + 0.32 * lumps + 0.07 * fine)
    height = 0.12 + 0.78 * height - 0.30 * joint

    colour = mixed(srgb(84, 80, 76), srgb(132, 124, 114), unit_range(lumps + 0.5 * ledge))
    colour = colour * (1 + 0.05 * fine[..., None])
    ragged = spectral_noise(seed + 5, size, 1.1, 4, 60)
    crusts = Cells(seed + 6, size, 13)
    random = np.random.default_rng(seed + 7)
    edge = crusts.near + 0.07 * ragged
    size_of = random.uniform(0.18, 0.46, 13 * 13)[crusts.ident]
    there = random.random(13 * 13)[crusts.ident]
    crust = (1 - smoothstep(-0.03, 0.03, edge - size_of)) * (1 - joint)
    # Grey crusts are paler at their rim, where they grow.
    rim = crust * smoothstep(0.55, 0.95, edge / size_of)
    grey = crust * (there < 0.55)
    colour = mixed(colour, srgb(158, 160, 150), 0.8 * grey)
    colour = mixed(colour, srgb(196, 197, 186), 0.6 * grey * rim)
    orange = crust * (there > 0.74)
    colour = mixed(colour, mixed(srgb(176, 112, 38), srgb(206, 150, 58), unit_range(ragged)), 0.85 * orange)
    colour = mixed(colour, srgb(48, 45, 42), 0.7 * joint)
    height = height + 0.03 * crust
    roughness = 0.82 + 0.05 * fine + 0.06 * crust
    return finished(colour, height, roughness, relief=0.11, cavity=1.7)
