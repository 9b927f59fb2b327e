"""The brush: how far it reaches, how it fades, and what a stroke does to a channel."""

from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.falloff import FALLOFFS, falloff_table
from ashblend.core.brush.fill import fill_delta, invert_delta, lift_all_delta
from ashblend.core.brush.reach import Reach, Skin
from ashblend.core.brush.resample import ArcLengthResampler, Dab
from ashblend.core.brush.stroke import Stroke, StrokeRoom

__all__ = [
    "FALLOFFS",
    "ArcLengthResampler",
    "Brush",
    "Dab",
    "PointerSample",
    "Reach",
    "Skin",
    "Stroke",
    "StrokeRoom",
    "falloff_table",
    "fill_delta",
    "invert_delta",
    "lift_all_delta",
]
