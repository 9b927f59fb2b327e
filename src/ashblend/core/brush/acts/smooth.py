"""Even out: toward the mean around, over a distance in metres and not a number of neighbours."""

import numpy as np

from ashblend.core.brush.acts.protocol import Act, StrokeView, Toward
from ashblend.core.brush.document import Brush
from ashblend.core.brush.resample import Dab


def look_around(brush: Brush) -> float:
    """Two standard deviations past the rim, so that the rim's mean does not depend on the dab."""
    return 1.0 + 2.0 * brush.smoothing


def _toward(brush: Brush, view: StrokeView, _: Dab, radius: float) -> Toward:
    return Toward(0.0, view.mean(brush.smoothing * radius).astype(np.float32))


SMOOTH = Act("Smooth", "sharpen", _toward, look_around)
