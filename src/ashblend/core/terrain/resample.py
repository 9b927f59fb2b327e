"""Heights on another grid over the same ground."""

import numpy as np

from ashblend.core.arrays import F32

ROWS = 128
BEYOND = 12


def resampled(heights: F32, rows: int, cols: int) -> F32:
    """(rows, cols) over the same span: first and last samples stay where they are.

    Finer: cubic splines through the samples (Unser 1999, IEEE Signal Processing Magazine 16(6)). Coarser: means over what each sample stands for,
    by a Gaussian of half its width, so that nothing aliases.
    """
    from scipy.ndimage import gaussian_filter, map_coordinates, spline_filter

    if (rows, cols) == heights.shape:
        return heights
    widths = [
        max(0.0, (old - 1) / max(new - 1, 1) - 1) / 2
        for old, new in zip(heights.shape, (rows, cols), strict=True)
    ]
    smooth = gaussian_filter(heights, widths, mode="nearest") if any(widths) else heights
    down = np.linspace(0, heights.shape[0] - 1, rows)
    across = np.linspace(0, heights.shape[1] - 1, cols)
    order = 3 if rows > heights.shape[0] or cols > heights.shape[1] else 1
    # Filtered once, then some rows at a time: places and weights of all of 8193² at once took 3 GB.
    # Splines know no nearest end: as SciPy does itself, the end goes on for a while.
    known, beyond = smooth, 0
    if order > 1:
        beyond = BEYOND
        known = spline_filter(np.pad(smooth, beyond, mode="edge"), order, mode="nearest")
    out = np.empty((rows, cols), np.float32)
    for begin in range(0, rows, ROWS):
        some = down[begin : begin + ROWS]
        at = np.meshgrid(some + beyond, across + beyond, indexing="ij")
        map_coordinates(
            known, at, order=order, mode="nearest", prefilter=False, output=out[begin : begin + ROWS]
        )
    return out
