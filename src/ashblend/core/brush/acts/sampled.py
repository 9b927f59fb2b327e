"""Paint toward the value found where the stroke begins."""

import numpy as np

from ashblend.core.arrays import I32
from ashblend.core.brush.acts.protocol import Act, StrokeView, Toward
from ashblend.core.brush.document import Brush
from ashblend.core.brush.resample import Dab


def _toward(_: Brush, view: StrokeView, points: I32, dab: Dab, __: float) -> Toward:
    if "sampled" not in view.kept:
        away = view.sites.point_positions[points] - dab.position
        nearest = points[np.argmin(np.einsum("ij,ij->i", away, away))]
        view.kept["sampled"] = float(view.start_values(np.array([nearest], np.int32))[0])
    return Toward(0.0, np.full(points.shape[0], view.kept["sampled"], np.float32))


SAMPLED = Act("Spread", "sampled", _toward)
