"""How much shape a material has of its own: whether its normals alone would be seen, laid on something flat."""

import numpy as np

from ashblend.core.arrays import U8

# By eye, under the key light: lime mortar (0.19) shows on plain clay, silt (0.12) and tarred timber (0.08) hardly.
SEEN = 0.15


def rms_slope(detail: U8) -> float:
    """Root of the mean square of rise over run, of the normals in a `detail` pack (r, c, 4)."""
    x, y = (detail[..., part].astype(np.float64) / 127.5 - 1 for part in (0, 1))
    across = np.clip(x * x + y * y, 0, 0.998)
    return float(np.sqrt((across / (1 - across)).mean()))
