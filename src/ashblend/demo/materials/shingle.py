"""Shingle: rounded beach stones of several sizes, grey, brown and a few white ones, laid over each other."""

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.materials.texture_set import TextureSet
from ashblend.demo.materials.patterns import (
    Cells,
    finished,
    mixed,
    smoothstep,
    spectral_noise,
    srgb,
)

# Stones along an edge of the tile, how much of them is there, and how high they lie.
SIZES = ((34, 1.0, 0.34), (21, 0.86, 0.56), (13, 0.55, 0.82), (8, 0.20, 1.0))


def _stones(seed: int, size: int, cells: int, share: float) -> tuple[F64, F64]:
    """Domes 0..1 of stones of one size, and the number of each by chance, 0..1."""
    found = Cells(seed, size, cells, 0.7)
    random = np.random.default_rng(seed + 1)
    there = random.random(cells * cells)[found.ident] < share
    long, heading = random.uniform(0.72, 1.0, cells * cells), random.uniform(0, np.pi, cells * cells)
    turn = found.angle - heading[found.ident]
    # An oval of its own for each stone.
    reach = 0.50 * long[found.ident] / np.sqrt((np.cos(turn) * long[found.ident]) ** 2 + np.sin(turn) ** 2)
    r = np.clip(found.near / reach, 0, 1)
    dome = np.sqrt(np.clip(1 - r**2.4, 0, 1)) * there
    return dome, random.random(cells * cells)[found.ident]


def shingle(seed: int, size: int) -> TextureSet:
    """Maps; the tile reads best at a little over a metre."""
    height = np.zeros((size, size))
    tone = np.zeros((size, size))
    for number, (cells, share, lift) in enumerate(SIZES):
        dome, chance = _stones(seed + 10 * number, size, cells, share)
        level = np.where(dome > 0, lift * (0.55 + 0.45 * dome) - 0.25 * lift * (1 - dome), 0.0)
        above = level > height
        height, tone = np.where(above, level, height), np.where(above, chance, tone)
    grit = spectral_noise(seed + 71, size, 0.3, 2.0, 8)
    bed = height <= 0.02
    height = np.where(bed, 0.06 + 0.02 * grit, height)

    colour = mixed(srgb(96, 95, 93), srgb(142, 134, 122), smoothstep(0.0, 0.6, tone))
    colour = mixed(
        colour, srgb(112, 88, 72), smoothstep(0.62, 0.66, tone) * (1 - smoothstep(0.80, 0.84, tone))
    )
    colour = mixed(colour, srgb(206, 201, 190), smoothstep(0.93, 0.95, tone))
    speck = smoothstep(0.8, 2.2, spectral_noise(seed + 72, size, 0.4, 2.2, 12))
    colour = mixed(colour, colour * 0.72, 0.6 * speck)
    colour = np.where(bed[..., None], srgb(74, 69, 61), colour) * (1 + 0.035 * grit[..., None])
    roughness = 0.66 + 0.05 * grit + 0.18 * bed - 0.1 * smoothstep(0.9, 0.95, tone)
    return finished(colour, height, roughness, relief=0.085, cavity=1.9)
