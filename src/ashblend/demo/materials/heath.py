"""Heath: cushions of narrow leaves between dry stalks, with a few faded pink heads."""

import numpy as np

from ashblend.core.materials.texture_set import TextureSet
from ashblend.demo.materials.patterns import (
    Cells,
    finished,
    lay_disc,
    mixed,
    smoothstep,
    spectral_noise,
    srgb,
    unit_range,
)

LEAVES = 1500


def _leaves(seed: int, size: int) -> tuple[np.ndarray, np.ndarray]:
    """Height and tone of narrow leaves laid over each other, wrapping around."""
    random = np.random.default_rng(seed)
    height, tone, unseen = np.zeros((3, size, size))
    unit = size / 512
    for lift in np.linspace(0.1, 0.8, LEAVES):
        x, y = random.random(2) * size
        heading, shade = 2 * np.pi * random.random(), random.random()
        for step in range(16):
            radius = max(1.2, (3.2 - 2.4 * step / 16) * unit)
            rise = lift + 0.12 * step / 16
            lay_disc(height, tone, unseen, float(x), float(y), radius, rise, shade, 0.05)
            x += np.cos(heading) * 2.2 * unit
            y += np.sin(heading) * 2.2 * unit
            heading += 0.06 * random.standard_normal()
    return height, tone


def heath(seed: int, size: int) -> TextureSet:
    """Maps; the tile reads best at about half a metre."""
    height, tone = _leaves(seed, size)
    fine = spectral_noise(seed + 1, size, 0.5, 2.0, 20)
    heads = Cells(seed + 2, size, 22)
    chosen = np.random.default_rng(seed + 3).random(22 * 22)[heads.ident] < 0.12
    head = chosen * (1 - smoothstep(0.12, 0.36, heads.near))
    height = np.maximum(height, 0.95 * head)

    colour = mixed(srgb(58, 70, 40), srgb(118, 128, 74), np.clip(tone + 0.05 * fine, 0, 1))
    dry = smoothstep(0.2, 1.6, spectral_noise(seed + 4, size, 1.8, 24))
    colour = mixed(colour, srgb(132, 112, 74), 0.55 * dry)
    colour = mixed(colour, mixed(srgb(150, 96, 112), srgb(196, 150, 158), tone), np.clip(head * 1.2, 0, 1))
    colour = colour * (0.45 + 0.62 * unit_range(height))[..., None]
    roughness = 0.80 + 0.05 * fine - 0.08 * tone
    return finished(colour, height, roughness, relief=0.06, cavity=1.4)
