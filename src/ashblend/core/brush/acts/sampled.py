"""Paint toward the value found where the stroke begins."""

import numpy as np

from ashblend.core.brush.acts.protocol import Act, StrokeView, Toward
from ashblend.core.brush.document import Brush
from ashblend.core.brush.resample import Dab


def _toward(_: Brush, view: StrokeView, dab: Dab, __: float) -> Toward:
    patch = view.patch
    if "sampled" not in view.kept:
        away = patch.positions - dab.position
        nearest = np.argmin(np.einsum("ij,ij->i", away, away))
        view.kept["sampled"] = float(view.values(at_start=True)[nearest])
    return Toward(0.0, np.full(patch.ids.shape[0], view.kept["sampled"], np.float32))


SAMPLED = Act("Spread", "sampled", _toward)
