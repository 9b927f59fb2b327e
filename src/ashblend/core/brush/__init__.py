"""The brush: how far it reaches, how it fades, and what strokes and fills do to a channel."""

from ashblend.core.brush.acts import ACTS, act_of
from ashblend.core.brush.document import Brush, BrushNoise, PointerSample, Stencil, Symmetry
from ashblend.core.brush.falloff import FALLOFFS, brush_profile, falloff_table
from ashblend.core.brush.reach import Reach
from ashblend.core.brush.resample import ArcLengthResampler, Dab
from ashblend.core.brush.shared_sum import SharedSum, given_way
from ashblend.core.brush.stroke import Allow, Stroke

__all__ = [
    "ACTS",
    "FALLOFFS",
    "Allow",
    "ArcLengthResampler",
    "Brush",
    "BrushNoise",
    "Dab",
    "PointerSample",
    "Reach",
    "SharedSum",
    "Stencil",
    "Stroke",
    "Symmetry",
    "act_of",
    "brush_profile",
    "falloff_table",
    "given_way",
]
