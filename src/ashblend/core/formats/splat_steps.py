"""Weights of channels as the whole numbers that a splat map stores.

Layers are mixed in order: a higher one covers what lies under it, and the ground is what is left. Engines that add
weighted layers up instead want weights that sum to one with the ground; `ordered_to_sum` makes them. Their numbers
are differences of rounded running sums, so that they still sum exactly after rounding.

Dither is ordered, by the matrix of Bayer (1973), "An optimum method for two-level rendition of continuous-tone
pictures", IEEE ICC: where steps are wide, neighbours share them out, and each is less than one step off.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F64
from ashblend.core.channels.quantise import WeightBits

DITHER = 8


def bayer(size: int = DITHER) -> F64:
    """(size, size) thresholds, evenly spread between 0 and 1 exclusive. size: a power of two."""
    matrix = np.zeros((1, 1))
    while matrix.shape[0] < size:
        matrix = np.block([[4 * matrix, 4 * matrix + 2], [4 * matrix + 3, 4 * matrix + 1]])
    return (matrix + 0.5) / matrix.size


def rounded(weights: F64, bits: WeightBits, dither: bool, left: int = 0, top: int = 0) -> NDArray[np.uint16]:
    """Steps of 0 .. 2^bits − 1 for weights (rows, cols) in 0..1.

    left, top: where the picture's own first column and row are, so that parts of it fit together.
    """
    scaled = np.clip(weights, 0, 1) * ((1 << bits) - 1)
    if not dither:
        return np.rint(scaled).astype(np.uint16)
    rows, cols = np.arange(weights.shape[0]) + top, np.arange(weights.shape[1]) + left
    threshold = bayer()[np.ix_(rows % DITHER, cols % DITHER)]
    # A weight that is a step already stays one.
    return np.floor(scaled + np.where(np.isclose(scaled, np.rint(scaled)), 0.5, threshold)).astype(np.uint16)


def ordered_to_sum(weights: Sequence[F64]) -> list[F64]:
    """What each layer is of the whole, the ground first, where higher ones cover lower ones. All of one shape."""
    left = np.ones_like(weights[0])
    out: list[F64] = []
    for weight in reversed(weights):
        out.append(left * weight)
        left = left * (1 - weight)
    return [left, *reversed(out)]


def summing_steps(weights: Sequence[F64], bits: WeightBits) -> list[NDArray[np.uint16]]:
    """Steps of layers of which the whole, with the ground first, sums to 2^bits − 1 exactly; without the ground."""
    most = (1 << bits) - 1
    running, before = np.zeros_like(weights[0]), np.zeros(weights[0].shape, np.int64)
    out = []
    for number, weight in enumerate(weights):
        running = running + weight
        now = np.rint(np.clip(running, 0, 1) * most).astype(np.int64)
        if number:
            out.append((now - before).astype(np.uint16))
        before = now
    return out
