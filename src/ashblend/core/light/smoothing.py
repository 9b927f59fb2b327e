"""What a sky looks like in a mirror that is rough: averaged over the facets of a normal distribution.

The sum of Karis (2013), "Real Shading in Unreal Engine 4": a place is looked at straight on, directions are drawn by its facets
(Walter et al. 2007, equations 35 and 36), and each counts by its cosine. Directions are one sequence for all places
(Hammersley), so that nothing flickers between neighbours.
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, F64
from ashblend.core.light.sky_map import ACROSS, LEVELS, UP, map_directions

# Directions drawn for each level: the narrower the lobe, the fewer are needed.
_DRAWN = (1, 48, 96, 128, 192, 256, 256, 256)
# From this level on every other texel is enough; those between lie between.
_COARSE = 3


def _reversed_bits(count: int) -> F64:
    out = np.zeros(count)
    for bit in range(16):
        out += ((np.arange(count) >> bit) & 1) / 2.0 ** (bit + 1)
    return out


def lobe(roughness: float, count: int) -> tuple[F64, F64]:
    """Directions (k, 3) around z that a rough mirror sees, and what each counts (k,), together 1."""
    alpha2 = max(roughness * roughness, 0.002) ** 2
    first = (np.arange(count) + 0.5) / count
    turn = 2 * np.pi * _reversed_bits(count)
    nh = np.sqrt((1 - first) / (1 + (alpha2 - 1) * first))
    side = np.sqrt(1 - nh * nh)
    h = np.stack([side * np.cos(turn), side * np.sin(turn), nh], axis=1)
    seen = 2 * nh[:, None] * h - [0.0, 0.0, 1.0]
    counts = np.maximum(seen[:, 2], 0.0)
    return seen[counts > 0], counts[counts > 0] / counts.sum()


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _smooth(sky: F32, directions: F64, ways: F64, counts: F64, out: F32) -> None:
    up, across = sky.shape[0], sky.shape[1]
    for i in range(directions.shape[0]):
        x, y, z = directions[i, 0], directions[i, 1], directions[i, 2]
        # Duff et al. (2017), "Building an Orthonormal Basis, Revisited", JCGT 6(1).
        sign = 1.0 if z >= 0 else -1.0
        a = -1.0 / (sign + z)
        b = x * y * a
        r = g = bl = 0.0
        for k in range(ways.shape[0]):
            p, q, w = ways[k, 0], ways[k, 1], ways[k, 2]
            dx = p * (1.0 + sign * x * x * a) + q * b + w * x
            dy = p * sign * b + q * (sign + y * y * a) + w * y
            dz = p * -sign * x + q * -y + w * z
            level = max(np.sqrt(dx * dx + dz * dz), 1e-6)
            u = np.sqrt(min(max(0.5 + 0.5 * dz / level, 0.0), 1.0)) * across - 0.5
            root = np.sqrt(abs(dy))
            v = (0.5 + 0.5 * (root if dy >= 0 else -root)) * up - 0.5
            u = min(max(u, 0.0), across - 1.0)
            v = min(max(v, 0.0), up - 1.0)
            j, m = min(int(u), across - 2), min(int(v), up - 2)
            fu, fv = u - j, v - m
            n0, n1 = counts[k] * (1 - fv) * (1 - fu), counts[k] * (1 - fv) * fu
            n2, n3 = counts[k] * fv * (1 - fu), counts[k] * fv * fu
            r += n0 * sky[m, j, 0] + n1 * sky[m, j + 1, 0] + n2 * sky[m + 1, j, 0] + n3 * sky[m + 1, j + 1, 0]
            g += n0 * sky[m, j, 1] + n1 * sky[m, j + 1, 1] + n2 * sky[m + 1, j, 1] + n3 * sky[m + 1, j + 1, 1]
            bl += (
                n0 * sky[m, j, 2] + n1 * sky[m, j + 1, 2] + n2 * sky[m + 1, j, 2] + n3 * sky[m + 1, j + 1, 2]
            )
        out[i, 0], out[i, 1], out[i, 2] = r, g, bl


def _between(coarse: F32, axis: int) -> F32:
    """Twice as many along an axis, each a quarter of the way to its neighbour; the outermost stay."""
    near = np.repeat(coarse, 2, axis=axis)
    behind = np.concatenate([coarse.take([0], axis), coarse.take(range(coarse.shape[axis] - 1), axis)], axis)
    ahead = np.concatenate([coarse.take(range(1, coarse.shape[axis]), axis), coarse.take([-1], axis)], axis)
    other = np.stack([behind, ahead], axis + 1).reshape(near.shape)
    return np.asarray(0.75 * near + 0.25 * other, np.float32)


def smoothed_sky(sky: F32) -> F32:
    """(LEVELS, UP, ACROSS, 3): the sky (UP, ACROSS, 3) itself, and as mirrors of even steps of roughness up to 1 see it.

    Each level is drawn from the sky itself. (Tried: all levels at every texel with 192 directions each, five times as long, and
    no picture of it could be told apart.)
    """
    fine, coarse = (
        map_directions(UP, ACROSS).reshape(-1, 3),
        map_directions(UP // 2, ACROSS // 2).reshape(-1, 3),
    )
    out = np.empty((LEVELS, UP, ACROSS, 3), np.float32)
    out[0] = sky
    for level in range(1, LEVELS):
        ways, counts = lobe(level / (LEVELS - 1), _DRAWN[level])
        directions = fine if level < _COARSE else coarse
        found = np.empty((directions.shape[0], 3), np.float32)
        _smooth(sky, directions, ways, counts, found)
        if level < _COARSE:
            out[level] = found.reshape(UP, ACROSS, 3)
        else:
            out[level] = _between(_between(found.reshape(UP // 2, ACROSS // 2, 3), 0), 1)
    return out
