"""Stencils for the brush: chips, speckle and drips, made from a seed."""

import numpy as np

from ashblend.core.arrays import F64, U8
from ashblend.demo.materials.patterns import Cells, smoothstep, spectral_noise

SIZE = 256


def _round(image: F64) -> U8:
    """Fade to black at the rim, so that a stamp shows no square."""
    axis = (np.arange(SIZE) + 0.5) / SIZE * 2 - 1
    away = np.hypot(*np.meshgrid(axis, axis))
    return np.rint(np.clip(image * (1 - smoothstep(0.72, 0.98, away)), 0, 1) * 255).astype(np.uint8)


def chips() -> U8:
    """Broken flakes."""
    cells = Cells(3, SIZE, 9)
    kept = np.random.default_rng(4).random(81)[cells.ident] < 0.55
    return _round(kept * smoothstep(0.03, 0.1, cells.second - cells.near))


def speckle() -> U8:
    """Fine spatter, denser in the middle."""
    cells = Cells(7, SIZE, 34)
    size = np.random.default_rng(8).random(34 * 34)[cells.ident]
    return _round(1 - smoothstep(0.0, 0.12, cells.near - 0.3 * size))


def drips() -> U8:
    """Runs of water, from the top down."""
    noise = spectral_noise(12, SIZE, 1.4, 6)
    rows, columns = np.indices((SIZE, SIZE))
    streaks = noise[0][columns] + 0.35 * noise[(rows // 6) % SIZE, columns]
    lengths = smoothstep(0.95, 0.2, rows / SIZE + 0.25 * noise[17][columns])
    return _round(smoothstep(0.1, 0.8, streaks) * lengths)


STENCILS = {"Chips": chips, "Speckle": speckle, "Drips": drips}
