"""Tarred timber: adzed oak under worn coal tar, grain along v, checks that open with drying."""

import numpy as np

from ashblend.core.materials.texture_set import TextureSet
from ashblend.demo.materials.patterns import (
    finished,
    mixed,
    smoothstep,
    spectral_noise,
    srgb,
    unit_range,
)


def _stretched(seed: int, size: int, slope: float, along: int, shortest: float) -> np.ndarray:
    """Noise drawn out along v: rows are read `along` times slower, which still tiles."""
    noise = spectral_noise(seed, size, slope, shortest)
    rows, columns = np.indices((size, size))
    # A whole number of rows a tile: reading row // along of a periodic field repeats along times.
    slow = np.abs((rows * 2 // along) % (2 * (size // along)) - size // along)
    return noise[slow % size, columns]


def tarred_timber(seed: int, size: int) -> TextureSet:
    """Maps; the tile reads best at about half a metre, v up the timber."""
    rows, columns = np.indices((size, size))
    bend = (5 * spectral_noise(seed, size, 2.3, 50)).astype(int)
    fibre = _stretched(seed + 1, size, 0.7, 16, 2.0)[rows, (columns + bend) % size]
    fibre = 0.6 * fibre + 0.4 * np.roll(fibre, 7, axis=0)
    bands = _stretched(seed + 2, size, 1.3, 8, 9.0)[rows, (columns + 2 * bend) % size]
    adze = spectral_noise(seed + 3, size, 1.9, 30)
    open_grain = _stretched(seed + 4, size, 1.0, 8, 5.0)[rows, (columns + bend) % size]
    check = smoothstep(1.55, 2.3, open_grain) * smoothstep(-0.6, 0.8, spectral_noise(seed + 5, size, 1.8, 40))
    height = 0.55 + 0.10 * unit_range(adze) + 0.05 * fibre / 3 + 0.05 * bands / 3 - 0.45 * check

    rubbed = _stretched(seed + 6, size, 1.2, 4, 12.0)[rows, (columns + bend) % size]
    worn = smoothstep(0.3, 1.9, rubbed + 0.55 * fibre + 0.25 * spectral_noise(seed + 7, size, 1.0, 10, 90))
    wood = mixed(srgb(92, 74, 56), srgb(134, 116, 94), unit_range(fibre + 0.8 * bands))
    tar = mixed(srgb(24, 22, 21), srgb(46, 42, 39), unit_range(bands + 0.4 * fibre))
    colour = mixed(tar, wood, worn)
    colour = mixed(colour, srgb(14, 12, 11), np.clip(0.9 * check, 0, 1))
    roughness = 0.48 + 0.34 * worn + 0.03 * fibre
    return finished(colour, height, roughness, relief=0.045, cavity=2.0)
