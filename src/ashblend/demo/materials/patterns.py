"""Patterns that tile: everything here wraps around at the edges by construction."""

import numba
import numpy as np

from ashblend.core.arrays import F64, I64, U8, U16
from ashblend.core.materials.texture_set import TextureSet, normal_from_height


def spectral_noise(seed: int, size: int, slope: float, shortest: float = 2.0, longest: float = 1e9) -> F64:
    """Gaussian noise (size, size) whose amplitude falls with frequency^slope, mean 0, deviation 1.

    Made in the frequency domain, so it is periodic. shortest, longest: wavelengths kept, texels.
    """
    white = np.fft.rfft2(np.random.default_rng(seed).standard_normal((size, size)))
    fy = np.fft.fftfreq(size)[:, None]
    fx = np.fft.rfftfreq(size)[None, :]
    f = np.hypot(fx, fy)
    f[0, 0] = 1
    gain = f**-slope * (f <= 1 / shortest) * (f >= 1 / longest)
    gain[0, 0] = 0
    noise = np.fft.irfft2(white * gain, s=(size, size))
    return np.asarray((noise - noise.mean()) / (noise.std() or 1))


def blurred(image: F64, radius: float) -> F64:
    """Gaussian blur with wrap-around; radius is the deviation in texels."""
    size_y, size_x = image.shape
    f2 = np.fft.fftfreq(size_y)[:, None] ** 2 + np.fft.rfftfreq(size_x)[None, :] ** 2
    return np.asarray(
        np.fft.irfft2(np.fft.rfft2(image) * np.exp(-2 * (np.pi * radius) ** 2 * f2), s=image.shape)
    )


def smoothstep(low: float | F64, high: float | F64, x: F64) -> F64:
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def unit_range(x: F64) -> F64:
    return (x - x.min()) / (x.max() - x.min())


@numba.njit(cache=True)
def _nearest(points: F64, near: F64, second: F64, angle: F64, ident: I64) -> None:
    size, cells = near.shape[0], points.shape[0]
    for row in range(size):
        for column in range(size):
            y, x = (row + 0.5) * cells / size, (column + 0.5) * cells / size
            cy, cx = int(y), int(x)
            nearest = after = np.inf
            away_y = away_x = 0.0
            cell = 0
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    gy, gx = (cy + dy) % cells, (cx + dx) % cells
                    oy, ox = cy + dy + points[gy, gx, 0] - y, cx + dx + points[gy, gx, 1] - x
                    distance = np.hypot(ox, oy)
                    if distance < nearest:
                        nearest, after = distance, nearest
                        away_y, away_x, cell = oy, ox, gy * cells + gx
                    elif distance < after:
                        after = distance
            near[row, column], second[row, column] = nearest, after
            angle[row, column], ident[row, column] = np.arctan2(-away_y, -away_x), cell


@numba.njit(cache=True)
def lay_disc(
    height: F64, tone: F64, middle: F64, x: float, y: float, radius: float, lift: float, shade: float, dome: float
) -> None:  # fmt: skip
    """Lay a domed disc on a height field that wraps around: where it lies above, it is seen.

    height, tone, middle: (size, size), written; middle: 1 at the disc's middle to 0 at a third of its radius.
    """
    size = height.shape[0]
    reach = int(np.ceil(radius))
    for row in range(int(y) - reach, int(y) + reach + 1):
        for column in range(int(x) - reach, int(x) + reach + 1):
            r = np.hypot(row + 0.5 - y, column + 0.5 - x) / radius
            if r >= 1:
                continue
            level = lift + dome * np.sqrt(1 - r * r)
            i, j = row % size, column % size
            if level > height[i, j]:
                height[i, j], tone[i, j], middle[i, j] = level, shade, max(0.0, 1 - r * 3)


class Cells:
    """One jittered point in each cell of a grid; for every texel the nearest of them.

    near: distance in cell widths to the nearest point. angle: direction from it. ident: number of
    its cell. second: distance to the second nearest.
    """

    def __init__(self, seed: int, size: int, cells: int, jitter: float = 0.85) -> None:
        random = np.random.default_rng(seed)
        points = 0.5 + jitter * (random.random((cells, cells, 2)) - 0.5)
        self.near, self.second, self.angle = np.empty((3, size, size))
        self.ident = np.empty((size, size), int)
        _nearest(points, self.near, self.second, self.angle, self.ident)


def srgb(*bytes_: int) -> F64:
    """A colour given as sRGB bytes, kept as sRGB 0..1: the generators mix in display space."""
    return np.array(bytes_, np.float64) / 255


def mixed(a: F64, b: F64, t: F64) -> F64:
    """Colours a and b, (3,) or (..., 3), mixed by t (...)."""
    return a + (b - a) * t[..., None]


def finished(colour: F64, height: F64, roughness: F64, relief: float, cavity: float) -> TextureSet:
    """Maps from a colour (r, c, 3) in sRGB 0..1, a height and a roughness (r, c) in 0..1.

    relief: see normal_from_height. cavity: how dark low places become in the occlusion map.
    """
    steps: U16 = np.rint(np.clip(height, 0, 1) * 65535).astype(np.uint16)
    hollow = np.clip(blurred(height, height.shape[0] / 90) - height, 0, None)
    wide = np.clip(blurred(height, height.shape[0] / 28) - height, 0, None)
    occlusion = np.clip(1 - cavity * (hollow * 1.4 + wide), 0.15, 1)

    def byte(x: F64) -> U8:
        return np.rint(np.clip(x, 0, 1) * 255).astype(np.uint8)

    return TextureSet(
        byte(colour), steps, normal_from_height(steps, relief), byte(roughness), byte(occlusion)
    )
