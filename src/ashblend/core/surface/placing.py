"""A surface made larger or smaller, or stood up another way; everything painted stays where it is on it."""

from dataclasses import replace

import numpy as np

from ashblend.core.prepare.place import LARGEST, SMALLEST, Placing, placed
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.state import SurfaceState


def require_size(extent: float) -> None:
    """Raise Refusal for a longest side, in metres, that cannot be painted."""
    if not SMALLEST <= extent <= LARGEST:
        raise Refusal(
            f"The surface would be {extent:.3g} m long; it can have {SMALLEST * 1000:g} mm to {LARGEST / 1000:,.0f} km.",
            "Choose another unit.",
        )


def on_placed(state: SurfaceState, placing: Placing) -> SurfaceState:
    """The state with every mesh of it placed anew. Raises Refusal."""
    low, high = state.mesh.positions.min(axis=0), state.mesh.positions.max(axis=0)
    require_size(float((high - low).max()) * placing.metres_per_unit)
    if float(np.abs(state.mesh.positions).max()) * placing.metres_per_unit > 1e7:
        raise Refusal("The surface would lie too far from its origin.", "Choose another unit.")
    levels = tuple(replace(level, mesh=placed(level.mesh, placing)) for level in state.levels)
    return replace(state, mesh=placed(state.mesh, placing), levels=levels)


def placing_label(placing: Placing) -> str:
    """What the step is called."""
    factor = placing.metres_per_unit
    parts = []
    if factor != 1:
        parts.append(f"Size × {factor:.6g}" if factor >= 1 else f"Size ÷ {1 / factor:.6g}")
    if placing.up != "y":
        parts.append(f"{placing.up.upper()} up")
    return " and ".join(parts) or "Size"
