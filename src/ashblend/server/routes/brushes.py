"""What brushes look like, so that the page draws the very profiles that strokes have."""

from typing import Any

import numpy as np
from fastapi import APIRouter
from pydantic import BaseModel

from ashblend.core.brush.falloff import FALLOFFS
from ashblend.core.curve import Curve

router = APIRouter(prefix="/api", tags=["brushes"])

STEPS = 65


class Profile(BaseModel):
    """heights: at even steps from 0 to 1. halfway: where it first is a half or less, as from a brush's centre."""

    heights: list[float]
    halfway: float


def _profile(heights: Any) -> Profile:
    low = np.flatnonzero(heights <= 0.5)
    halfway = float(low[0]) / (len(heights) - 1) if low.size else 1.0
    return Profile(heights=[float(h) for h in heights], halfway=halfway)


@router.get("/falloffs")
def get_falloffs() -> dict[str, Profile]:
    """The falloffs by name, from centre to rim."""
    t = np.linspace(0, 1, STEPS)
    return {name: _profile(falloff(t)) for name, falloff in FALLOFFS.items()}


@router.post("/curves")
def draw_curve(curve: Curve) -> Profile:
    """A curve through some points, as it is used."""
    return _profile(curve.at(np.linspace(0, 1, STEPS)))
