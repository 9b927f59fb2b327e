"""Raise contrast around the local mean. The target sets how strongly, up to three times."""

import numpy as np

from ashblend.core.brush.acts.protocol import Act, StrokeView, Toward
from ashblend.core.brush.acts.smooth import look_around
from ashblend.core.brush.document import Brush
from ashblend.core.brush.resample import Dab


def _toward(brush: Brush, view: StrokeView, _: Dab, radius: float) -> Toward:
    gain = 3.0 * brush.target
    return Toward(1.0 + gain, (-gain * view.mean(brush.smoothing * radius)).astype(np.float32))


SHARPEN = Act("Sharpen", "smooth", _toward, look_around)
