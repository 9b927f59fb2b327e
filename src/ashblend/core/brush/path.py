"""A smooth way through picked points: centripetal Catmull-Rom.

Source: Yuksel, Schaefer and Keyser (2011), "Parameterization and applications of Catmull-Rom curves", Computer-Aided
Design 43(7): with the square root of the distances as knots there is no loop and no cusp between two points.
"""

import numpy as np

from ashblend.core.arrays import F64


def smooth_way(points: F64, step: float) -> F64:
    """(n, 3) places at most `step` apart along the curve through points (k, 3), from the first to the last.

    Points that repeat the one before are left out. Raises ValueError for fewer than two that differ.
    """
    apart = np.linalg.norm(np.diff(points, axis=0), axis=1)
    points = points[np.concatenate([[True], apart > 1e-9])]
    if points.shape[0] < 2:
        raise ValueError("a path has two places at least")
    # Beyond its ends the way goes on as it came.
    wide = np.concatenate([[2 * points[0] - points[1]], points, [2 * points[-1] - points[-2]]])
    out = [points[:1]]
    for k in range(points.shape[0] - 1):
        p = wide[k : k + 4]
        knots = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1) ** 0.5)])
        count = max(1, int(np.ceil(np.linalg.norm(p[2] - p[1]) / step)))
        t = np.linspace(knots[1], knots[2], count + 1)[1:, None]

        def between(a: F64, b: F64, i: int, j: int, t: F64 = t, knots: F64 = knots) -> F64:
            return a + (b - a) * (t - knots[i]) / (knots[j] - knots[i])

        a = [between(p[i], p[i + 1], i, i + 1) for i in range(3)]
        b = [between(a[i], a[i + 1], i, i + 2) for i in range(2)]
        out.append(between(b[0], b[1], 1, 2))
    return np.concatenate(out)
