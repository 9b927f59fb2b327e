"""Granite setts: hewn blocks in running bond, worn round at the edges."""

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

ROWS = 6
COLUMNS = 4


def _row_edges(random: np.random.Generator) -> F64:
    widths = 1 + 0.28 * (random.random(COLUMNS) - 0.5)
    return np.concatenate([[0], np.cumsum(widths / widths.sum())])


def granite_setts(seed: int, size: int) -> TextureSet:
    """Maps of a tile that is ROWS setts high."""
    random = np.random.default_rng(seed)
    axis = (np.arange(size) + 0.5) / size
    v, u = np.meshgrid(axis, axis, indexing="ij")
    # Hewn edges wander: the grid is looked up a little aside.
    u = u + 0.0042 * spectral_noise(seed + 1, size, 1.6, 8)
    v = v + 0.0042 * spectral_noise(seed + 2, size, 1.6, 8)

    heights_of_rows = 1 + 0.12 * (random.random(ROWS) - 0.5)
    row_edges = np.concatenate([[0], np.cumsum(heights_of_rows / heights_of_rows.sum())])
    row = np.clip(np.searchsorted(row_edges, v % 1, side="right") - 1, 0, ROWS - 1)
    to_row_edge = np.minimum(v % 1 - row_edges[row], row_edges[row + 1] - v % 1)
    shifts = (np.arange(ROWS) % 2) * 0.5 / COLUMNS + 0.03 * random.random(ROWS)
    edges = np.stack([_row_edges(random) for _ in range(ROWS)])
    along = (u + shifts[row]) % 1
    column = np.zeros_like(row)
    for c in range(1, COLUMNS):
        column += along >= edges[row, c]
    to_column_edge = np.minimum(along - edges[row, column], edges[row, column + 1] - along)

    # Distance to the block's rim with rounded corners, in tile widths.
    corner = 0.028
    qx, qy = np.maximum(corner - to_column_edge, 0), np.maximum(corner - to_row_edge, 0)
    inside = np.where((qx > 0) & (qy > 0), corner - np.hypot(qx, qy), np.minimum(to_column_edge, to_row_edge))
    joint = 0.0085
    stone = smoothstep(joint * 0.7, joint * 1.5, inside)
    worn = smoothstep(joint, 0.046, inside)

    block = row * COLUMNS + column
    level = (random.random(ROWS * COLUMNS) - 0.5)[block]
    tilt_u = (random.random(ROWS * COLUMNS) - 0.5)[block] * (along - edges[row, column] - 0.12)
    hewn = spectral_noise(seed + 3, size, 1.25, 3, 90)
    pits = smoothstep(0.10, 0.32, Cells(seed + 4, size, 64).near + 0.10 * spectral_noise(seed + 5, size, 0.6))
    top = 0.60 + 0.24 * worn + 0.10 * level + 0.5 * tilt_u + 0.035 * hewn - 0.03 * (1 - pits)
    bed = 0.16 + 0.05 * spectral_noise(seed + 6, size, 1.1, 3)
    height = bed + (top - bed) * stone

    # Feldspar, quartz and mica: three grains at different sizes.
    speck = spectral_noise(seed + 7, size, 0.35, 2.2, 14)
    mica = smoothstep(1.15, 1.9, spectral_noise(seed + 8, size, 0.3, 2.2, 9))
    tones = np.stack([srgb(150, 146, 141), srgb(136, 134, 133), srgb(163, 154, 144), srgb(141, 142, 141)])
    colour = tones[random.integers(0, 4, ROWS * COLUMNS)[block]]
    colour = colour * (1 + 0.11 * (random.random(ROWS * COLUMNS) - 0.5)[block][..., None])
    colour = colour * (1 + 0.085 * speck[..., None] + 0.03 * hewn[..., None])
    colour = mixed(colour, srgb(58, 57, 58), 0.75 * mica)
    stain = smoothstep(0.2, 1.8, spectral_noise(seed + 9, size, 1.9, 20))
    colour = mixed(colour, srgb(112, 103, 88), 0.35 * stain)
    colour = colour * (0.80 + 0.20 * worn)[..., None]
    dirt = np.broadcast_to(srgb(70, 64, 56), colour.shape) * (
        1 + 0.16 * spectral_noise(seed + 10, size, 0.6)[..., None]
    )
    colour = mixed(dirt, colour, stone)
    roughness = 0.93 - stone * (0.22 + 0.10 * worn) + 0.04 * speck * stone - 0.10 * mica * stone
    return finished(colour, height, roughness, relief=0.045, cavity=2.2)
