"""Lime mortar: pale, sandy, floated by hand, with shrinkage cracks and shell fragments."""

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


def lime_mortar(seed: int, size: int) -> TextureSet:
    """Maps of a floated coat; the tile reads best at about half a metre."""
    lumps = spectral_noise(seed, size, 1.7, 10)
    sand = spectral_noise(seed + 1, size, 0.25, 2.2, 9)
    # The float leaves sweeps: stretched noise along bent lines.
    sweep = spectral_noise(seed + 2, size, 1.2, 4, 60)
    bend = (6 * spectral_noise(seed + 3, size, 2.2, 60)).astype(int)
    rows, columns = np.indices((size, size))
    sweep = sweep[(rows + bend) % size, (columns * 4 + bend) % size]
    cells = Cells(seed + 4, size, 9)
    crack = 1 - smoothstep(
        0.0, 0.035, cells.second - cells.near + 0.012 * spectral_noise(seed + 5, size, 0.9)
    )
    crack = crack * smoothstep(-0.2, 1.0, spectral_noise(seed + 6, size, 1.9, 40))
    pebbles = Cells(seed + 7, size, 46)
    chosen = np.random.default_rng(seed + 8).random(46 * 46)[pebbles.ident] < 0.16
    pebble = chosen * (1 - smoothstep(0.16, 0.30, pebbles.near))
    pits = Cells(seed + 9, size, 30)
    pit_chosen = np.random.default_rng(seed + 10).random(900)[pits.ident] < 0.13
    pit = pit_chosen * (1 - smoothstep(0.08, 0.26, pits.near))
    height = unit_range(0.9 * lumps + 0.22 * sand + 0.28 * sweep)
    height = 0.25 + 0.5 * height + 0.16 * pebble - 0.22 * pit - 0.30 * crack

    colour = mixed(srgb(186, 176, 156), srgb(212, 204, 187), unit_range(lumps + 0.4 * sweep))
    colour = colour * (1 + 0.045 * sand[..., None])
    # Small enough that no single one of them tells where a tile begins.
    stain = smoothstep(0.3, 2.0, spectral_noise(seed + 11, size, 1.2, 12, 90))
    colour = mixed(colour, srgb(158, 149, 128), 0.4 * stain)
    pebble_tone = np.random.default_rng(seed + 12).random(46 * 46)[pebbles.ident]
    colour = mixed(colour, mixed(srgb(120, 112, 101), srgb(226, 220, 208), pebble_tone), 0.8 * pebble)
    colour = mixed(colour, srgb(92, 84, 70), np.clip(0.65 * pit + 0.75 * crack, 0, 1))
    roughness = 0.90 + 0.03 * sand - 0.22 * pebble
    return finished(colour, height, roughness, relief=0.028, cavity=2.4)
