"""Acts on a whole channel, or on part of it. A new fill is one new file and one line here.

A fill says toward which value each site is painted and by how much; `fill_delta` does it.
"""

from typing import Annotated

import numpy as np
from pydantic import Field

from ashblend.core.arrays import F32
from ashblend.core.brush.fills.border import BorderFill
from ashblend.core.brush.fills.clear_below import ClearBelowFill
from ashblend.core.brush.fills.copy_channel import MixFill, mixed
from ashblend.core.brush.fills.even import EvenFill
from ashblend.core.brush.fills.facing import FacingFill
from ashblend.core.brush.fills.gradient import GradientFill
from ashblend.core.brush.fills.height import HeightFill
from ashblend.core.brush.fills.invert import InvertFill
from ashblend.core.brush.fills.levels import LevelsFill
from ashblend.core.brush.fills.lift import LiftFill
from ashblend.core.brush.fills.noise_fill import NoiseFill
from ashblend.core.brush.fills.protocol import Fill, FillView, Wanted
from ashblend.core.brush.fills.smooth_all import SmoothAllFill
from ashblend.core.brush.fills.threshold import ThresholdFill
from ashblend.core.channels.channel import FULL, Channel
from ashblend.core.channels.delta import ChannelDelta, changed_between

AnyFill = Annotated[
    EvenFill
    | InvertFill
    | LiftFill
    | HeightFill
    | FacingFill
    | BorderFill
    | GradientFill
    | NoiseFill
    | LevelsFill
    | ThresholdFill
    | SmoothAllFill
    | ClearBelowFill
    | MixFill,
    Field(discriminator="act"),
]


def fill_delta(fill: Fill, number: int, channel: Channel, view: FillView, allow: F32 | None) -> ChannelDelta:
    """What a fill changes in a channel. allow: (sites,) 0..1 how far each may change, or None for all."""
    wanted = fill.wanted(view)
    weight = np.broadcast_to(np.asarray(wanted.weight, np.float64), channel.cover.shape)
    if allow is not None:
        weight = weight * allow
    cover = channel.cover / np.float64(FULL) * (1 - weight)
    paint = channel.paint / np.float64(FULL) * (1 - weight)
    if wanted.target is not None:
        cover = cover + weight
        paint = paint + weight * np.clip(wanted.target, 0, 1)
    after = Channel(
        np.rint(cover * FULL).astype(np.uint16), np.rint(paint * FULL).astype(np.uint16), channel.undercoat
    )
    return changed_between(number, channel, after)


__all__ = [
    "AnyFill",
    "BorderFill",
    "ClearBelowFill",
    "EvenFill",
    "FacingFill",
    "Fill",
    "FillView",
    "GradientFill",
    "HeightFill",
    "InvertFill",
    "LevelsFill",
    "LiftFill",
    "MixFill",
    "NoiseFill",
    "SmoothAllFill",
    "ThresholdFill",
    "Wanted",
    "fill_delta",
    "mixed",
]
