"""What scattered light falls on a place, whichever way it is turned, by nine numbers a colour.

Ramamoorthi and Hanrahan (2001), "An Efficient Representation for Irradiance Environment Maps": the sky's harmonics of order
0 to 2, each times what a cosine leaves of it (π, 2π/3, π/4). Over π, so that an even sky of 1 gives 1 to white ground.
"""

import numpy as np

from ashblend.core.arrays import F64

_LEFT = np.array([1.0, *[2 / 3] * 3, *[1 / 4] * 5])


def basis(directions: F64) -> F64:
    """(…, 9) real harmonics at directions (…, 3) of length one, in the order of the paper's equation 3."""
    x, y, z = directions[..., 0], directions[..., 1], directions[..., 2]
    one = np.ones_like(x)
    return np.stack(
        [
            0.282095 * one,
            0.488603 * y,
            0.488603 * z,
            0.488603 * x,
            1.092548 * x * y,
            1.092548 * y * z,
            0.315392 * (3 * z * z - 1),
            1.092548 * x * z,
            0.546274 * (x * x - y * y),
        ],
        axis=-1,
    )


def fallen_harmonics(radiance: F64, directions: F64, angles: F64) -> F64:
    """(9, 3) for `fallen`. radiance: (…, 3) of directions (…, 3) that stand for solid angles (…,), alike on both sides of x = 0."""
    mirrored = directions * [-1.0, 1.0, 1.0]
    both = (basis(directions) + basis(mirrored)) / 2
    weighed = (both * angles[..., None]).reshape(-1, 9)
    return np.asarray(weighed.T @ radiance.reshape(-1, 3) * _LEFT[:, None])


def fallen(harmonics: F64, normals: F64) -> F64:
    """(k, 3) irradiance over π on places turned along normals (k, 3)."""
    return np.asarray(np.maximum(basis(normals) @ harmonics, 0.0))
