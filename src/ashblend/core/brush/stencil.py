"""Images that thin the brush."""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64
from ashblend.core.brush.document import Stencil
from ashblend.core.brush.resample import Dab


@numba.njit(cache=True, nogil=True)
def _sample(image: F32, u: float, v: float, repeat: bool) -> float:
    """Bilinear at u, v in 0..1, v down; outside: repeated, or nothing."""
    rows, columns = image.shape
    if not repeat and not (0 <= u <= 1 and 0 <= v <= 1):
        return 0.0
    x, y = u * columns - 0.5, v * rows - 0.5
    x0, y0 = int(np.floor(x)), int(np.floor(y))
    fx, fy = x - x0, y - y0
    total = 0.0
    for dy in range(2):
        for dx in range(2):
            cx, cy = x0 + dx, y0 + dy
            if repeat:
                cx, cy = cx % columns, cy % rows
            else:
                cx, cy = min(max(cx, 0), columns - 1), min(max(cy, 0), rows - 1)
            total += (fx if dx else 1 - fx) * (fy if dy else 1 - fy) * image[cy, cx]
    return total


@numba.njit(cache=True, nogil=True)
def _thin(positions: F32, matrix: F64, image: F32, repeat: bool, weights: F32) -> None:
    for p in range(positions.shape[0]):
        row = np.empty(3)
        for r in range(3):
            row[r] = (
                matrix[r, 0] * positions[p, 0]
                + matrix[r, 1] * positions[p, 1]
                + matrix[r, 2] * positions[p, 2]
                + matrix[r, 3]
            )
        if row[2] <= 0:
            weights[p] = 0
            continue
        weights[p] *= _sample(image, row[0] / row[2] + 0.5, 0.5 - row[1] / row[2], repeat)


def _plane_axes(dab: Dab, follow: bool) -> tuple[F64, F64]:
    """Right and up (3,) in the dab's plane: up along the stroke, or toward the world's up."""
    n = dab.normal
    guide = dab.direction if follow and dab.direction.any() else np.array([0.0, 1.0, 0.0])
    up = guide - n * (guide @ n)
    if up @ up < 1e-6:
        up = np.array([0.0, 0.0, -1.0]) - n * -n[2]
    if up @ up < 1e-6:
        up = np.array([1.0, 0.0, 0.0]) - n * n[0]
    up /= np.sqrt(up @ up)
    return np.cross(up, n), up


def stencil_matrix(stencil: Stencil, dab: Dab, radius: float) -> F64:
    """Rows (3, 4) from position to homogeneous stencil coordinates, −½..½ across the image."""
    chance = np.random.default_rng((7919, dab.number))
    turn, shift = chance.uniform(-1, 1), chance.uniform(-0.5, 0.5, 2)
    angle = np.radians(stencil.rotation) + stencil.jitter * np.pi * turn
    spin = np.array([[np.cos(angle), np.sin(angle), 0], [-np.sin(angle), np.cos(angle), 0], [0, 0, 1.0]])
    if stencil.place == "view":
        assert stencil.view is not None
        matrix = np.array(stencil.view).reshape(3, 4)
        move = np.array([[1, 0, 0], [0, 1, 0], [0, 0, stencil.scale]])
        return spin @ move @ matrix
    if stencil.place == "ground":
        # North, which is against Z, is up; one width of the image is so many metres.
        across = 1 / stencil.metres
        ground = np.array([[across, 0, 0, 0], [0, 0, -across, 0], [0, 0, 0, 1.0]])
        return spin @ ground
    right, up = _plane_axes(dab, stencil.follow)
    width = 2 * radius * stencil.scale
    matrix = np.zeros((3, 4))
    matrix[0, :3], matrix[1, :3], matrix[2, 3] = right / width, up / width, 1
    matrix[:2, 3] = -(matrix[:2, :3] @ dab.position) + stencil.jitter * shift
    return spin @ matrix


def thin_by_stencil(
    positions: F32, weights: F32, stencil: Stencil, image: F32, dab: Dab, radius: float
) -> None:
    """Multiply weights (k,) at positions (k, 3) by the image (rows, columns) in 0..1, in place."""
    _thin(positions, stencil_matrix(stencil, dab, radius), image, stencil.place != "tip", weights)
