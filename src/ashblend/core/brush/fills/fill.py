"""Any fill of a channel. A new one is one new file and one line in the union.

A fill says toward which value each site is painted and by how much; `fill_delta` does it.
"""

from collections.abc import Callable
from typing import Annotated, get_args

import numpy as np
from pydantic import Field

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.brush.fills.along import AlongFill
from ashblend.core.brush.fills.border import BorderFill
from ashblend.core.brush.fills.clear_below import ClearBelowFill
from ashblend.core.brush.fills.copy_channel import MixFill
from ashblend.core.brush.fills.even import EvenFill
from ashblend.core.brush.fills.facing import FacingFill
from ashblend.core.brush.fills.gradient import GradientFill
from ashblend.core.brush.fills.height import HeightFill
from ashblend.core.brush.fills.invert import InvertFill
from ashblend.core.brush.fills.levels import LevelsFill
from ashblend.core.brush.fills.lift import LiftFill
from ashblend.core.brush.fills.noise_fill import NoiseFill
from ashblend.core.brush.fills.protocol import Along, Fill, FillSettings, FillView, Way
from ashblend.core.brush.fills.scale import ScaleFill
from ashblend.core.brush.fills.smooth_all import SmoothAllFill
from ashblend.core.brush.fills.threshold import ThresholdFill
from ashblend.core.brush.stroke import Allow
from ashblend.core.channels.channel import Channel
from ashblend.core.channels.delta import ChannelDelta, joined
from ashblend.core.channels.quantise import FULL
from ashblend.core.sites.diffuse import flow_over, smoothed
from ashblend.core.sites.geodesic import distances_from
from ashblend.core.sites.march import point_means, spread_to_sites
from ashblend.core.sites.protocol import Sites, windows

# In the order in which artists see them.
AnyFill = Annotated[
    HeightFill
    | FacingFill
    | BorderFill
    | GradientFill
    | AlongFill
    | ScaleFill
    | NoiseFill
    | MixFill
    | LevelsFill
    | ThresholdFill
    | SmoothAllFill
    | ClearBelowFill
    | EvenFill
    | InvertFill
    | LiftFill,
    Field(discriminator="kind"),
]
FILLS: tuple[type[FillSettings], ...] = get_args(get_args(AnyFill)[0])


Border = Callable[[str | None], U32]
Values = Callable[[U32], F64]


class _Whole:
    """See `WholeSurface`."""

    def __init__(self, sites: Sites, channel: Channel, border: Border, along: Along) -> None:
        self._sites = sites
        self._along = along
        self._channel = channel
        self._border = border
        self._known: dict[tuple[str, object, float], F64] = {}

    def from_border(self, group: str | None, farthest: float) -> F64:
        key = ("border", group, farthest)
        if key not in self._known:
            self._known[key] = distances_from(self._sites, self._border(group), farthest)
        return self._known[key]

    def along(self, way: Way, each: bool, sites: U32) -> F64:
        return self._along(way, each, sites)

    def evened(self, metres: float) -> F64:
        key = ("evened", None, metres)
        if key not in self._known:
            patch, graph = self._sites.everything()
            mean = point_means(patch, self._channel.values() / np.float64(FULL))
            smooth = smoothed(flow_over(graph), mean, metres)
            self._known[key] = spread_to_sites(self._sites, patch, smooth, 0.0)
        return self._known[key]


def _changed(fill: Fill, number: int, channel: Channel, view: FillView, allow: F32 | None) -> ChannelDelta:
    """What a fill changes in one window."""
    here = view.window.sites
    wanted = fill.wanted(view)
    weight = np.broadcast_to(np.asarray(wanted.weight, np.float64), here.shape)
    if allow is not None:
        weight = weight * allow
    kind = channel.kind
    before_cover, before_paint = channel.cover[here], channel.paint[here]
    if wanted.target is None:
        after_cover, after_paint = kind.lifted(before_cover, before_paint, weight)
    else:
        after_cover, after_paint = kind.toward(before_cover, before_paint, weight, wanted.target)
    at = (after_cover != before_cover) | ~kind.same(after_paint, before_paint)
    return ChannelDelta(
        number, here[at], before_cover[at], before_paint[at], after_cover[at], after_paint[at]
    )


def no_border(group: str | None) -> U32:
    """For fills that ask for none."""
    raise ValueError("there are no borders here")


def nowhere(way: Way, each: bool, sites: U32) -> F64:
    """For fills that go along nothing."""
    raise ValueError("there is nothing to go along here")


def fill_delta(
    fill: Fill,
    number: int,
    channel: Channel,
    sites: Sites,
    *,
    border: Border = no_border,
    along: Along = nowhere,
    allow: Allow | None = None,
    source: Values | None = None,
) -> ChannelDelta:
    """What a fill changes in a channel, worked out window by window.

    border: sites on a group's border. along: where sites lie between two ends. allow: how far sites may be changed, 0..1, or None for all fully.
    source: another channel's weights. Raises ValueError where the fill cannot be done here.
    """
    whole = _Whole(sites, channel, border, along)
    parts = []
    for window in windows(sites):
        here = window.sites
        view = FillView(
            window, channel.values(here) / np.float64(FULL), whole, source(here) if source else None
        )
        parts.append(_changed(fill, number, channel, view, allow(here) if allow else None))
    return joined(parts)
