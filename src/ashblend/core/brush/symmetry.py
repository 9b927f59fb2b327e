"""Copies of a dab: mirrored across planes, turned round an axis."""

from itertools import product

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.brush.document import Symmetry
from ashblend.core.brush.resample import Dab

AXES = {"x": 0, "y": 1, "z": 2}


def _turn(axis: int, angle: float) -> F64:
    """Rotation (3, 3) by an angle in radians round a main axis."""
    c, s = np.cos(angle), np.sin(angle)
    out = np.eye(3)
    b, d = (axis + 1) % 3, (axis + 2) % 3
    out[b, b], out[b, d], out[d, b], out[d, d] = c, -s, s, c
    return out


def symmetry_maps(symmetry: Symmetry) -> list[F64]:
    """The linear parts (3, 3) of all copies, the identity first; each about the origin."""
    mirrors = [AXES[axis] for axis in dict.fromkeys(symmetry.mirror)]
    maps = []
    for turn in range(symmetry.turns):
        rotation = _turn(AXES[symmetry.axis], 2 * np.pi * turn / symmetry.turns)
        for signs in product((1.0, -1.0), repeat=len(mirrors)):
            flip = np.ones(3)
            flip[mirrors] = signs
            maps.append(rotation @ np.diag(flip))
    return maps


def copies_of(dab: Dab, maps: list[F64], origin: F64) -> list[Dab]:
    """The dab under each map."""
    return [
        Dab(
            m @ (dab.position - origin) + origin,
            m @ dab.normal,
            dab.pressure,
            dab.tilt,
            m @ dab.direction,
            m @ dab.step,
            dab.number,
        )
        for m in maps
    ]
