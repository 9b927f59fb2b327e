"""Raise or lower what is there by the target weight."""

import numpy as np

from ashblend.core.brush.acts.protocol import Act, StrokeView, Toward
from ashblend.core.brush.document import Brush
from ashblend.core.brush.resample import Dab


def _add(brush: Brush, view: StrokeView, _: Dab, __: float) -> Toward:
    return Toward(1.0, np.full(view.patch.ids.shape[0], brush.target, np.float32))


def _subtract(brush: Brush, view: StrokeView, _: Dab, __: float) -> Toward:
    return Toward(1.0, np.full(view.patch.ids.shape[0], -brush.target, np.float32))


ADD = Act("Add to", "subtract", _add)
SUBTRACT = Act("Subtract from", "add", _subtract)
