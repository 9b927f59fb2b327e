"""Barnacle crust: volcano-shaped shells in two sizes, crowded on dark rock."""

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


class _Shells:
    """One size of barnacle. height, wall, mouth: (size, size)."""

    def __init__(self, seed: int, size: int, cells: int, share: float) -> None:
        near = Cells(seed, size, cells, 0.7)
        random = np.random.default_rng(seed + 1)
        count = cells * cells
        alive = (random.random(count) < share)[near.ident]
        reach = (0.44 + 0.20 * random.random(count))[near.ident]
        tall = (0.65 + 0.35 * random.random(count))[near.ident]
        plates = (random.integers(6, 10, count))[near.ident]
        turn = (6.28 * random.random(count))[near.ident]
        # Plates overlap like a rosette: the radius swings with the angle.
        rosette = 0.06 * np.abs(np.sin(near.angle * plates / 2 + turn)) + 0.02 * np.sin(7 * near.angle + turn)
        edge = (near.second - near.near) * 0.5
        r = near.near / (reach * (1 - rosette))
        r = np.maximum(r, 1 - edge / 0.09)
        rim = 0.40
        outside = np.clip((1 - r) / (1 - rim), 0, 1) ** 0.8
        ribs = 0.5 + 0.5 * np.cos(near.angle * plates * 2 + turn)
        self.mouth: F64 = alive * (1 - smoothstep(rim * 0.55, rim * 0.95, r))
        self.wall: F64 = alive * smoothstep(0.0, 0.12, 1 - r)
        self.height: F64 = alive * tall * (outside * (0.92 + 0.08 * ribs) - 0.62 * self.mouth)
        self.ribs: F64 = ribs
        self.tone: F64 = random.random(count)[near.ident]


def barnacle_crust(seed: int, size: int) -> TextureSet:
    """Maps; the tile reads best at about half a metre."""
    large = _Shells(seed, size, 11, 0.82)
    small = _Shells(seed + 10, size, 25, 0.78)
    rock = spectral_noise(seed + 20, size, 1.3, 3)
    over = large.height >= 0.55 * small.height
    shell = np.where(over, large.height, 0.55 * small.height)
    wall = np.where(over, large.wall, small.wall)
    mouth = np.where(over, large.mouth, small.mouth)
    ribs = np.where(over, large.ribs, small.ribs)
    tone = np.where(over, large.tone, small.tone)
    height = 0.14 + 0.035 * rock + 0.78 * shell + 0.012 * wall * spectral_noise(seed + 21, size, 0.5)

    chalk = mixed(srgb(196, 190, 174), srgb(222, 219, 208), tone)
    chalk = mixed(chalk, srgb(166, 158, 134), 0.45 * (1 - ribs))
    chalk = chalk * (1 + 0.05 * spectral_noise(seed + 22, size, 0.5)[..., None])
    weathered = smoothstep(-0.3, 1.6, spectral_noise(seed + 23, size, 1.6, 12))
    chalk = mixed(chalk, srgb(140, 138, 108), 0.5 * weathered)
    under = mixed(srgb(52, 50, 44), srgb(78, 74, 60), smoothstep(-1, 1, rock))
    colour = mixed(np.broadcast_to(under, chalk.shape), chalk, wall)
    colour = mixed(colour, srgb(38, 33, 30), 0.92 * mouth)
    roughness = 0.62 + 0.26 * wall - 0.15 * mouth
    return finished(colour, height, roughness, relief=0.06, cavity=2.0)
