"""Heights on another grid over the same ground."""

import numpy as np

from ashblend.core.arrays import F32


def resampled(heights: F32, rows: int, cols: int) -> F32:
    """(rows, cols) over the same span: first and last samples stay where they are.

    Finer: cubic splines through the samples (Unser 1999, IEEE Signal Processing Magazine 16(6)). Coarser: means over what each sample stands for,
    by a Gaussian of half its width, so that nothing aliases.
    """
    from scipy.ndimage import gaussian_filter, map_coordinates

    if (rows, cols) == heights.shape:
        return heights
    widths = [
        max(0.0, (old - 1) / max(new - 1, 1) - 1) / 2
        for old, new in zip(heights.shape, (rows, cols), strict=True)
    ]
    smooth = gaussian_filter(heights, widths, mode="nearest") if any(widths) else heights
    at = np.meshgrid(
        np.linspace(0, heights.shape[0] - 1, rows), np.linspace(0, heights.shape[1] - 1, cols), indexing="ij"
    )
    order = 3 if rows > heights.shape[0] or cols > heights.shape[1] else 1
    return map_coordinates(smooth, at, order=order, mode="nearest", output=np.float32)
