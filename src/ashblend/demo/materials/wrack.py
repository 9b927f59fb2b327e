"""Wrack: overlapping fronds of brown seaweed with air bladders, wet and glossy."""

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.materials.texture_set import TextureSet
from ashblend.demo.materials.patterns import finished, lay_disc, mixed, spectral_noise, srgb, unit_range

FRONDS = 330
STEPS = 54


class _Weave:
    """A height field that fronds are laid on, one over the other, wrapping around."""

    def __init__(self, size: int) -> None:
        self.size = size
        self.height: F64 = np.zeros((size, size))
        self.tone: F64 = np.full((size, size), 0.2)
        self.rib: F64 = np.zeros((size, size))

    def dot(self, x: float, y: float, radius: float, lift: float, tone: float, dome: float) -> None:
        """One round piece of a frond."""
        lay_disc(self.height, self.tone, self.rib, x, y, radius, lift, tone, dome)


def _lay_frond(weave: _Weave, random: np.random.Generator, lift: float) -> None:
    unit = weave.size / 512
    x, y = random.random(2) * weave.size
    # Most fronds hang the same way, as the ebb left them.
    heading = 1.35 + 0.65 * random.standard_normal()
    bend = 0.025 * random.standard_normal()
    width = (6.0 + 5.0 * random.random()) * unit
    tone = random.random()
    bladders = random.random() < 0.45
    for step in range(STEPS):
        along = step / STEPS
        taper = np.sin(np.pi * min(1.0, 0.18 + 0.82 * along)) ** 0.6
        wave = 1 + 0.16 * np.sin(step * 0.9 + 6 * tone)
        rise = lift + 0.05 * np.sin(step * 0.22 + 9 * tone)
        weave.dot(x, y, max(1.5, width * taper * wave), rise, tone, 0.07)
        if bladders and step % 9 == 4:
            weave.dot(x, y, width * 0.62, rise + 0.05, min(1.0, tone + 0.35), 0.16)
        x += np.cos(heading) * 2.6 * unit
        y += np.sin(heading) * 2.6 * unit
        heading += bend + 0.05 * random.standard_normal()


def wrack(seed: int, size: int) -> TextureSet:
    """Maps; the tile reads best at about one metre."""
    random = np.random.default_rng(seed)
    weave = _Weave(size)
    for lift in np.linspace(0.05, 0.72, FRONDS):
        _lay_frond(weave, random, float(lift))
    fine = spectral_noise(seed + 1, size, 0.8, 2.5, 40)
    height = unit_range(weave.height + 0.008 * fine)
    depth = unit_range(weave.height)

    colour = mixed(srgb(62, 52, 22), srgb(142, 116, 46), np.clip(0.15 + 0.85 * weave.tone, 0, 1))
    colour = mixed(
        colour, srgb(96, 98, 42), 0.35 * np.clip(spectral_noise(seed + 2, size, 1.7, 16) * 0.5 + 0.4, 0, 1)
    )
    colour = mixed(colour, colour * 1.28, weave.rib)
    colour = colour * (0.42 + 0.62 * depth)[..., None] * (1 + 0.05 * fine[..., None])
    roughness = 0.46 - 0.14 * weave.rib + 0.16 * (1 - depth) + 0.02 * fine
    return finished(colour, height, roughness, relief=0.07, cavity=1.5)
