"""Paint toward the target weight."""

import numpy as np

from ashblend.core.brush.acts.protocol import Act, StrokeView, Toward
from ashblend.core.brush.document import Brush
from ashblend.core.brush.resample import Dab


def _toward(brush: Brush, view: StrokeView, _: Dab, __: float) -> Toward:
    return Toward(0.0, np.full(view.patch.ids.shape[0], brush.target, np.float32))


PAINT = Act("Paint", "paint", _toward)
