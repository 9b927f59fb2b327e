"""Bearings: where a direction leads, in degrees clockwise from north, which is −Z, and up from level.

Every measure, source and light speaks of directions so. Compass bearings: common practice.
"""

import numpy as np

from ashblend.core.arrays import F64

CLOCKWISE = "Degrees clockwise from north, the far edge of the first view: 90° is east, the right of it"


def toward(azimuth: float, tilt: float) -> F64:
    """(3,) unit: azimuth in degrees clockwise from north; tilt up from level."""
    a, t = np.radians(azimuth), np.radians(tilt)
    return np.array([np.sin(a) * np.cos(t), np.sin(t), -np.cos(a) * np.cos(t)])


def bearing(direction: F64) -> tuple[float, float]:
    """Azimuth and tilt, in degrees to a tenth, that `toward` a direction (3,) of any length leads. Raises ValueError for none."""
    x, y, z = (float(v) for v in direction)
    level = float(np.hypot(x, z))
    if level == 0 and y == 0:
        raise ValueError("A direction of no length leads nowhere.")
    azimuth = round(float(np.degrees(np.arctan2(x, -z))) % 360, 1) % 360
    return azimuth, round(float(np.degrees(np.arctan2(y, level))), 1)
