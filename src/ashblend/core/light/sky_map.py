"""A sky as a map: two coordinates for a direction, with the sun or lamp in the north.

u is sin(φ / 2) of the angle φ from the sun around, so that it is even where the sky changes; either side of the sun is
alike, and one is kept. v is ½ ± ½·√|y|: rows lie close at the horizon. sky.glsl reads it the same way, and a test holds
both against each other.
"""

import numpy as np

from ashblend.core.arrays import F64

ACROSS, UP = 64, 96
# Roughnesses that it is smoothed for, evenly from 0 to 1.
LEVELS = 8


def _directions(u: F64, v: F64) -> F64:
    around = 2 * np.arcsin(np.clip(u, 0, 1))
    s = 2 * v - 1
    y = np.sign(s) * s * s
    level = np.sqrt(np.maximum(1 - y * y, 0))
    return np.stack([level * np.sin(around), y, -level * np.cos(around)], axis=-1)


def map_directions(up: int = UP, across: int = ACROSS) -> F64:
    """(up, across, 3) of length one: the middles of a map's texels, from the ground to the zenith."""
    v, u = np.meshgrid((np.arange(up) + 0.5) / up, (np.arange(across) + 0.5) / across, indexing="ij")
    return _directions(u, v)


def solid_angles() -> F64:
    """(UP, ACROSS) of the texels, on both sides of the sun; they add up to 4π."""
    s = 2 * np.arange(UP + 1) / UP - 1
    heights = np.diff(np.sign(s) * s * s)
    turns = np.diff(2 * np.arcsin(np.arange(ACROSS + 1) / ACROSS))
    return np.asarray(heights[:, None] * 2 * turns[None])


def map_places(directions: F64) -> tuple[F64, F64]:
    """u and v (k,) of directions (k, 3) of length one."""
    x, y, z = directions[..., 0], directions[..., 1], directions[..., 2]
    level = np.maximum(np.hypot(x, z), 1e-6)
    u = np.sqrt(np.clip(0.5 + 0.5 * z / level, 0, 1))
    return u, np.asarray(0.5 + 0.5 * np.sign(y) * np.sqrt(np.abs(y)))
